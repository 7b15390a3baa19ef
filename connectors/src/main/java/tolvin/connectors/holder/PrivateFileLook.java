package tolvin.connectors.holder;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermission;
import java.util.Optional;
import java.util.Set;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.intake.Intake;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.key.PrivateKeyText;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.OpenSshFile;

/**
 * What can be seen of a file that may be a private key, without its passphrase.
 *
 * @param path where
 * @param kind private, public, other or missing
 * @param mode its permission bits
 * @param encrypted whether it has a passphrase
 * @param hardware whether it is the handle of a security key, which is worth nothing without it
 * @param key the key in it, as far as it can be seen
 * @param publicBeside the key in the .pub file beside it
 * @param comment the comment of the .pub file beside it
 */
public record PrivateFileLook(
    Path path,
    String kind,
    int mode,
    boolean encrypted,
    boolean hardware,
    Optional<PublicKey> key,
    Optional<PublicKey> publicBeside,
    String comment) {
  private static final int MOST = 64 * 1024;

  /** Looks at a file. */
  public static PrivateFileLook at(Path path) {
    Optional<Outcome.Key> beside = publicKey(Path.of(path + ".pub"));
    Optional<PublicKey> besideKey = beside.map(Outcome.Key::key);
    String comment = beside.map(Outcome.Key::comment).orElse("");
    if (!Files.isRegularFile(path)) {
      return new PrivateFileLook(
          path, "missing", 0, false, false, Optional.empty(), besideKey, comment);
    }
    int mode = mode(path);
    byte[] content = read(path);
    if (PrivateKeyText.recognise(content).isPresent()) {
      return opened(path, content, mode, besideKey, comment);
    }
    Optional<PublicKey> open = publicKey(path).map(Outcome.Key::key);
    return new PrivateFileLook(
        path, open.isPresent() ? "public" : "other", mode, false, false, open, besideKey, comment);
  }

  private static PrivateFileLook opened(
      Path path, byte[] content, int mode, Optional<PublicKey> beside, String comment) {
    boolean encrypted = false;
    boolean hardware = false;
    Optional<PublicKey> key = Optional.empty();
    try {
      encrypted = PrivateFiles.isEncrypted(content);
      if (OpenSshFile.looksLike(content)) {
        key = Optional.of(OpenSshFile.read(content).key());
        hardware = key.get().type().hardware();
      } else if (!encrypted) {
        key =
            PrivateFiles.open(content, () -> new char[0])
                .pair()
                .map(
                    pair -> {
                      try (pair) {
                        return pair.key();
                      }
                    });
      }
    } catch (RefusedException damaged) {
      return new PrivateFileLook(path, "other", mode, false, false, key, beside, comment);
    }
    return new PrivateFileLook(path, "private", mode, encrypted, hardware, key, beside, comment);
  }

  /** Whether group or others can read it, for which OpenSSH ignores it. */
  public boolean isOpen() {
    return (mode & 077) != 0;
  }

  /** Whether the key in it is known: its own, or as the .pub file beside it says. */
  public Optional<PublicKey> likelyKey() {
    return key.or(() -> publicBeside);
  }

  private static Optional<Outcome.Key> publicKey(Path file) {
    if (!Files.isRegularFile(file)) {
      return Optional.empty();
    }
    byte[] content = read(file);
    if (PrivateKeyText.recognise(content).isPresent()) {
      return Optional.empty();
    }
    for (Item item : Intake.read(content)) {
      if (item.outcome() instanceof Outcome.Key key) {
        return Optional.of(key);
      }
    }
    return Optional.empty();
  }

  private static byte[] read(Path file) {
    try (InputStream in = Files.newInputStream(file)) {
      return in.readNBytes(MOST);
    } catch (IOException mayNot) {
      return new byte[0];
    }
  }

  private static int mode(Path file) {
    try {
      Set<PosixFilePermission> permissions = Files.getPosixFilePermissions(file);
      int mode = 0;
      for (PosixFilePermission permission : PosixFilePermission.values()) {
        mode = mode << 1 | (permissions.contains(permission) ? 1 : 0);
      }
      return mode;
    } catch (IOException | UnsupportedOperationException notPosix) {
      return 0; // a file system without modes keeps others out in its own way
    }
  }
}
