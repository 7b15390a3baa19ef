package tolvin.service.coffer;

import com.google.crypto.tink.Aead;
import com.google.crypto.tink.InsecureSecretKeyAccess;
import com.google.crypto.tink.KeysetHandle;
import com.google.crypto.tink.RegistryConfiguration;
import com.google.crypto.tink.TinkJsonProtoKeysetFormat;
import com.google.crypto.tink.aead.AeadConfig;
import com.google.crypto.tink.aead.PredefinedAeadParameters;
import jakarta.enterprise.context.ApplicationScoped;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermission;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.util.Optional;
import java.util.Set;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.service.problem.Problem;

/**
 * The master key: a Tink key set (AES-256-GCM) from the environment variable TOLVIN_MASTER_KEY or
 * from the file {@code master-key.json} in the data directory; never in the database. A key set
 * holds several keys by their ids, so that the master key can be exchanged.
 */
@ApplicationScoped
class MasterKey {
  private static final Set<PosixFilePermission> OWNERS =
      Set.of(PosixFilePermission.OWNER_READ, PosixFilePermission.OWNER_WRITE);

  private final Path file;
  private final Path former;
  private final Optional<String> fromEnvironment;
  private KeysetHandle keys;

  MasterKey(
      @ConfigProperty(name = "tolvin.data") String data,
      @ConfigProperty(name = "tolvin.master.key") Optional<String> fromEnvironment) {
    this.file = Path.of(data, "master-key.json");
    this.former = Path.of(data, "master-key-before.json");
    this.fromEnvironment = fromEnvironment;
  }

  /**
   * Reads the master key, or makes one for a coffer that is still empty.
   *
   * @param cofferIsEmpty whether nothing has ever been put into the coffer
   * @throws IllegalStateException if it cannot be read, or others could read it
   */
  synchronized Aead read(boolean cofferIsEmpty) {
    try {
      AeadConfig.register();
      if (fromEnvironment.isEmpty() && !Files.exists(file)) {
        if (!cofferIsEmpty) {
          throw new IOException(
              file
                  + " is missing, but the coffer holds entries. Put the key back from where it is"
                  + " kept; a new one cannot open them");
        }
        write(file, KeysetHandle.newBuilder().addEntry(fresh()).build());
      }
      keys =
          TinkJsonProtoKeysetFormat.parseKeyset(
              fromEnvironment.isPresent() ? fromEnvironment.get() : closed(file),
              RegistryConfiguration.get(),
              InsecureSecretKeyAccess.get());
      return aead();
    } catch (GeneralSecurityException | IOException e) {
      throw new IllegalStateException(
          "The coffer's master key could not be opened: " + e.getMessage() + ".", e);
    }
  }

  private Aead aead() throws GeneralSecurityException {
    return keys.getPrimitive(RegistryConfiguration.get(), Aead.class);
  }

  /** The file's text, if nobody but its owner can get at it. */
  private static String closed(Path file) throws IOException {
    Set<PosixFilePermission> now = Files.getPosixFilePermissions(file);
    if (!OWNERS.containsAll(now)) {
      throw new IOException(
          file
              + " is open to others ("
              + PosixFilePermissions.toString(now)
              + "). If nobody can have read it, close it with chmod 600 "
              + file
              + "; otherwise exchange the key as well: tolvin coffer rewrap");
    }
    return Files.readString(file);
  }

  /** The id of the key that wraps what is put into the coffer from now on. */
  synchronized int primary() {
    return keys.getPrimary().getId();
  }

  /** Whether an exchange began and did not come to its end. */
  synchronized boolean isBeingExchanged() {
    return keys.size() > 1;
  }

  /**
   * Adds a new key, which wraps from now on; the one before still opens. The file of before is kept
   * beside, for the backups of the database that only it can open.
   *
   * @throws Problem if the key is not in a file
   */
  synchronized Aead add() {
    if (fromEnvironment.isPresent()) {
      throw Problem.conflict(
          "master-key-elsewhere",
          "The master key comes from the environment (TOLVIN_MASTER_KEY), not from a file.",
          "Add a new primary key to that key set, keep the old one in it, start the service again,"
              + " and exchange then.");
    }
    try {
      write(former, keys);
      KeysetHandle both = KeysetHandle.newBuilder(keys).addEntry(fresh()).build();
      write(file, both);
      keys = both;
      return aead();
    } catch (GeneralSecurityException | IOException e) {
      throw new IllegalStateException("the master key could not be added", e);
    }
  }

  private static KeysetHandle.Builder.Entry fresh() {
    return KeysetHandle.generateEntryFromParameters(PredefinedAeadParameters.AES256_GCM)
        .withRandomId()
        .makePrimary();
  }

  /** Drops every key but the one that wraps now; nothing is wrapped by them any more. */
  synchronized void dropOthers() {
    try {
      KeysetHandle.Entry primary = keys.getPrimary();
      KeysetHandle one =
          KeysetHandle.newBuilder()
              .addEntry(
                  KeysetHandle.importKey(primary.getKey())
                      .withFixedId(primary.getId())
                      .makePrimary())
              .build();
      if (fromEnvironment.isEmpty()) {
        write(file, one);
      }
      keys = one;
    } catch (GeneralSecurityException | IOException e) {
      throw new IllegalStateException("the former master key could not be dropped", e);
    }
  }

  /** Writes a key set beside, makes sure that it is on the disk, and puts it in place. */
  private static void write(Path to, KeysetHandle keys)
      throws IOException, GeneralSecurityException {
    String text =
        TinkJsonProtoKeysetFormat.serializeKeyset(
            keys, RegistryConfiguration.get(), InsecureSecretKeyAccess.get());
    Files.createDirectories(to.toAbsolutePath().getParent());
    Path beside = to.resolveSibling(to.getFileName() + ".new");
    Files.deleteIfExists(beside);
    Files.createFile(
        beside, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(beside, text, StandardOpenOption.SYNC);
    Files.move(beside, to, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
  }
}
