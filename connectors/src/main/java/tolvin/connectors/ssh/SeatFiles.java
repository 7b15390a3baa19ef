package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.core.key.PrivateFileHead;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;

/**
 * Seats that are private files on an integration's host, supplied over SFTP.
 *
 * <pre>
 *   PATH             what the integration signs in with
 *   PATH.before      the file that was there before, kept until the rotation is done
 *   PATH.pub         the public half of PATH
 *   PATH.tolvin-new  being written
 * </pre>
 *
 * At every moment PATH is a whole private file: the new one is written beside, the old one gets its
 * second name, and one rename changes them over. PATH.pub is taken away before that rename and
 * written after it, since OpenSSH offers what it says even when it does not fit. Owner and mode
 * stay as they were; where nothing was, only the owner may read.
 */
public final class SeatFiles implements SeatPort {
  private static final int PRIVATE = 0600;
  private static final int PUBLIC = 0644;
  private static final int OTHERS = 0007;
  private static final String BEFORE = ".before";
  private static final String BESIDE = ".tolvin-new";
  private static final String PUB = ".pub";

  private final SshConnections connections;

  /** Works over these connections. */
  public SeatFiles(SshConnections connections) {
    this.connections = connections;
  }

  @Override
  public Holding read(Place where) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(file.login(), files -> holding(files, file.path()));
  }

  @Override
  public Holding supply(Place where, PublicKey key, byte[] privateFile, Lease lease)
      throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> {
          String path = file.path();
          Holding now = holding(files, path);
          if (now.offers().filter(key.fingerprint()::equals).isEmpty()) {
            Optional<Attributes> former = closed(files, path, file.login());
            files.writeNew(
                path + BESIDE, privateFile, former.map(RemoteFiles::mode).orElse(PRIVATE));
            if (former.isPresent()) {
              files.keepOwner(path + BESIDE, former.get());
              keepBeside(files, path, now);
            }
            lease.check();
            files.remove(path + PUB);
            files.replace(path + BESIDE, path);
          }
          return finish(files, path, key);
        });
  }

  @Override
  public Holding restore(Place where, PublicKey key, Lease lease) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> {
          String path = file.path();
          Holding now = holding(files, path);
          if (now.offers().filter(key.fingerprint()::equals).isEmpty()) {
            if (now.keeps().filter(key.fingerprint()::equals).isEmpty()) {
              throw new PortException(
                  Kind.NOT_ALLOWED,
                  path + BEFORE + " does not hold " + key.fingerprint() + " any more.",
                  "Put that private half back by hand, or start a new rotation.");
            }
            lease.check();
            files.remove(path + PUB);
            files.replace(path + BEFORE, path);
          } else if (now.keeps().filter(key.fingerprint()::equals).isPresent()) {
            files.remove(path + BEFORE);
          }
          return finish(files, path, key);
        });
  }

  @Override
  public Holding clear(Place where, PublicKey key, Lease lease) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> {
          Holding now = holding(files, file.path());
          if (now.keeps().filter(key.fingerprint()::equals).isPresent()) {
            lease.check();
            files.remove(file.path() + BEFORE);
          }
          return holding(files, file.path());
        });
  }

  /**
   * The file that is there. A new private half gets its owner and mode, so that whoever reads it
   * goes on reading it; one that everybody may read is nothing to follow.
   */
  private static Optional<Attributes> closed(RemoteFiles files, String path, Login login)
      throws PortException, IOException {
    Optional<Attributes> former = files.look(path);
    if (former.filter(Attributes::isSymbolicLink).isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          path + " is a symbolic link, which a rename would replace.",
          "Name the file that it leads to as the seat's path.");
    }
    if (former.filter(a -> (RemoteFiles.mode(a) & OTHERS) != 0).isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "Everybody on "
              + login.server().name()
              + " may read "
              + path
              + String.format(" (mode %04o)", RemoteFiles.mode(former.get()))
              + ", so a new private half put there would be known to all.",
          "Close it first: chmod o= " + path + ". It goes on by itself then.");
    }
    return former;
  }

  private static void keepBeside(RemoteFiles files, String path, Holding now)
      throws PortException, IOException {
    if (now.keeps().isPresent() && !now.keeps().equals(now.offers())) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          path + BEFORE + " holds another key, " + now.keeps().get() + ".",
          "It was left by an earlier change. Remove it when nobody needs it any more.");
    }
    if (now.keeps().isEmpty()) {
      files.keepAs(path, path + BEFORE);
    }
  }

  /** Reads back: the right key, closed to others, its public half beside. */
  private static Holding finish(RemoteFiles files, String path, PublicKey key)
      throws PortException, IOException {
    Holding after = holding(files, path);
    if (after.offers().filter(key.fingerprint()::equals).isEmpty()) {
      throw new PortException(
          Kind.CHANGED_MEANWHILE,
          path + " does not hold the key that was just put there; somebody else writes there too.",
          "Find out who; it is looked at again before anything else is done.");
    }
    byte[] line = (key.line() + "\n").getBytes(StandardCharsets.US_ASCII);
    if (!RemoteFiles.same(files.read(path + PUB), Optional.of(line))) {
      files.writeNew(path + PUB + BESIDE, line, PUBLIC);
      Optional<Attributes> owned = files.look(path);
      if (owned.isPresent()) {
        files.keepOwner(path + PUB + BESIDE, owned.get());
      }
      files.replace(path + PUB + BESIDE, path + PUB);
    }
    return after;
  }

  private static Holding holding(RemoteFiles files, String path) throws PortException, IOException {
    return new Holding(
        publicHalf(files, path).map(PublicKey::fingerprint),
        publicHalf(files, path + BEFORE).map(PublicKey::fingerprint));
  }

  /** The public half at the head of a private file; nothing behind it is read. */
  private static Optional<PublicKey> publicHalf(RemoteFiles files, String path)
      throws PortException, IOException {
    Optional<byte[]> start = files.read(path, 0, PrivateFileHead.FIRST_READ);
    if (start.isEmpty()) {
      return Optional.empty();
    }
    try {
      int length = PrivateFileHead.lengthOfPublicPart(start.get());
      byte[] head = Arrays.copyOf(start.get(), Math.min(length, start.get().length));
      if (length > head.length) {
        byte[] rest = files.read(path, head.length, length - head.length).orElse(new byte[0]);
        int read = head.length;
        head = Arrays.copyOf(head, read + rest.length);
        System.arraycopy(rest, 0, head, read, rest.length);
      }
      return Optional.of(PrivateFileHead.publicKey(head));
    } catch (RefusedException e) {
      throw new PortException(
          Kind.UNEXPECTED, path + ": " + e.refusal().sentence(), e.refusal().wayOut());
    }
  }
}
