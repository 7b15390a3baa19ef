package tolvin.connectors.ssh;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.apache.sshd.sftp.client.SftpClient.Attributes;
import tolvin.connectors.file.PrivateForms;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.PublicPart;
import tolvin.core.pair.PublicPart.Piece;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Moment;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;

/**
 * Seats that are private files on an integration's host, supplied over SFTP.
 *
 * <pre>
 *   PATH                  what the integration signs in with
 *   PATH.before           the file that was there before, kept until the rotation is done
 *   PATH.pub              the public key of PATH
 *   PATH.tolvin-ATTEMPT   being written by one attempt, which no other one ever touches
 * </pre>
 *
 * At every moment PATH is a whole private file: the new one is written beside, the old one gets its
 * second name, and one rename changes them over. The new one has the form that the old one has:
 * OpenSSH's, PKCS#8 or traditional PEM. PATH.pub is taken away before that rename and written after
 * it, since OpenSSH offers what it says even when it does not fit. Owner and mode stay as they
 * were; where nothing was, only the owner may read.
 */
public final class SeatFiles implements SeatPort {
  private static final int PRIVATE = 0600;
  private static final int PUBLIC = 0644;
  private static final int OTHERS = 0007;
  private static final String BEFORE = ".before";
  private static final String BESIDE = RemoteFiles.BESIDE;
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
  public Holding supply(Place where, PublicKey key, byte[] privateFile, Moment moment, Lease lease)
      throws PortException {
    OverSsh file = (OverSsh) where;
    String path = file.path();
    String beside = path + BESIDE + lease.attempt();
    boolean switched =
        connections.use(
            file.login(),
            files -> {
              Optional<PublicPart> there = publicPart(files, path);
              Holding now = holding(there, files, path);
              if (now.offers().filter(key.fingerprint()::equals).isPresent()) {
                return true;
              }
              WholeFile seat = new WholeFile(files, path);
              Optional<Attributes> former = closed(seat.look(), path, file.login());
              int mode = former.map(RemoteFiles::mode).orElse(PRIVATE);
              PrivateForm form = there.map(PublicPart::form).orElse(PrivateForm.OPENSSH);
              byte[] wanted = PrivateForms.in(form, path, privateFile);
              try {
                seat.prepare(wanted, mode, former, lease);
              } finally {
                if (wanted != privateFile) {
                  Arrays.fill(wanted, (byte) 0);
                }
              }
              if (former.isPresent()) {
                try {
                  keepBeside(files, path, now);
                } catch (PortException e) {
                  files.removeQuietly(beside);
                  throw e;
                }
              }
              return false;
            });
    return switched
        ? connections.use(file.login(), files -> finish(files, path, key, lease))
        : exchange(file, key, beside, moment, lease);
  }

  /** Everything lies ready: at the right moment one rename changes the files over. */
  private Holding exchange(OverSsh file, PublicKey key, String beside, Moment moment, Lease lease)
      throws PortException {
    moment.await();
    return connections.use(
        file.login(),
        files -> {
          if (holding(files, file.path()).offers().filter(key.fingerprint()::equals).isPresent()) {
            return finish(files, file.path(), key, lease); // done, and the connection was lost then
          }
          new WholeFile(files, file.path())
              .exchange(beside, () -> files.remove(file.path() + PUB), lease);
          return finish(files, file.path(), key, lease);
        });
  }

  @Override
  public Holding restore(Place where, PublicKey key, Moment moment, Lease lease)
      throws PortException {
    OverSsh file = (OverSsh) where;
    String path = file.path();
    String beside = path + BESIDE + lease.attempt();
    boolean switched =
        connections.use(
            file.login(),
            files -> {
              Holding now = holding(files, path);
              if (now.offers().filter(key.fingerprint()::equals).isPresent()) {
                return true;
              }
              if (now.keeps().filter(key.fingerprint()::equals).isEmpty()) {
                throw new PortException(
                    Kind.NOT_ALLOWED,
                    path + BEFORE + " does not hold " + key.fingerprint() + " any more.",
                    "Put that private key back by hand, or start a new rotation.");
              }
              new WholeFile(files, path).look();
              // under a name of its own, since a late rename may only touch what is its own
              files.remove(beside);
              files.keepAs(path + BEFORE, beside);
              return false;
            });
    Holding after =
        switched
            ? connections.use(file.login(), files -> finish(files, path, key, lease))
            : exchange(file, key, beside, moment, lease);
    return after.keeps().filter(key.fingerprint()::equals).isPresent()
        ? connections.use(
            file.login(),
            files -> {
              files.remove(path + BEFORE);
              return holding(files, path);
            })
        : after;
  }

  @Override
  public boolean settle(Place where, String attempt) throws PortException {
    OverSsh file = (OverSsh) where;
    connections.useNew(
        file.login(),
        files -> {
          new WholeFile(files, file.path()).settle(attempt);
          new WholeFile(files, file.path() + PUB).settle(attempt);
          return true;
        });
    return true;
  }

  @Override
  public List<String> leftBehind(Place where) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(file.login(), files -> files.startingWith(file.path(), BESIDE, PUB));
  }

  @Override
  public Holding clear(Place where, PublicKey key, Lease lease) throws PortException {
    OverSsh file = (OverSsh) where;
    return connections.use(
        file.login(),
        files -> {
          Holding now = holding(files, file.path());
          if (now.keeps().filter(key.fingerprint()::equals).isPresent()) {
            files.demandSafe(file.path());
            lease.check();
            files.remove(file.path() + BEFORE);
          }
          return holding(files, file.path());
        });
  }

  /**
   * The file that is there. A new private key gets its owner and mode, so that whoever reads it
   * goes on reading it; one that everybody may read is nothing to follow.
   */
  private static Optional<Attributes> closed(Optional<Attributes> former, String path, Login login)
      throws PortException {
    if (former.filter(a -> (RemoteFiles.mode(a) & OTHERS) != 0).isPresent()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          "Everybody on "
              + login.server().name()
              + " may read "
              + path
              + String.format(" (mode %04o)", RemoteFiles.mode(former.get()))
              + ", so a new private key put there would be known to all.",
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

  /** Reads back: the right key, closed to others, its public key beside. */
  private static Holding finish(RemoteFiles files, String path, PublicKey key, Lease lease)
      throws PortException, IOException {
    Holding after = holding(files, path);
    if (after.offers().filter(key.fingerprint()::equals).isEmpty()) {
      throw new PortException(
          Kind.CHANGED_MEANWHILE,
          path + " does not hold the key that was just put there; somebody else writes there too.",
          "Find out who; it is looked at again before anything else is done.");
    }
    byte[] line = (key.line() + "\n").getBytes(StandardCharsets.US_ASCII);
    String pub = path + PUB;
    if (!RemoteFiles.same(files.read(pub), Optional.of(line))) {
      WholeFile beside = new WholeFile(files, pub);
      beside.exchange(beside.prepare(line, PUBLIC, files.look(path), lease), lease);
    }
    return after;
  }

  private static Holding holding(RemoteFiles files, String path) throws PortException, IOException {
    return holding(publicPart(files, path), files, path);
  }

  private static Holding holding(Optional<PublicPart> there, RemoteFiles files, String path)
      throws PortException, IOException {
    return new Holding(
        there.map(part -> part.key().fingerprint()),
        publicPart(files, path + BEFORE).map(part -> part.key().fingerprint()));
  }

  /** The public key in a private file; no private byte is read. */
  private static Optional<PublicPart> publicPart(RemoteFiles files, String path)
      throws PortException, IOException {
    PublicPart part = new PublicPart();
    try {
      for (Optional<Piece> piece = part.wanted(); piece.isPresent(); piece = part.wanted()) {
        Optional<byte[]> bytes = files.read(path, piece.get().from(), piece.get().length());
        if (bytes.isEmpty()) {
          return Optional.empty();
        }
        part.give(bytes.get());
      }
      return Optional.of(part);
    } catch (RefusedException e) {
      throw new PortException(
          Kind.UNEXPECTED, path + ": " + e.refusal().sentence(), e.refusal().remedy());
    }
  }
}
