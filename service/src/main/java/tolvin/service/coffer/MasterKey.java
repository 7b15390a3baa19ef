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
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.GeneralSecurityException;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;

/**
 * The master key: a Tink key set (AES-256-GCM) from the environment variable TOLVIN_MASTER_KEY or
 * from the file {@code master-key.json} in the data directory; never in the database. A key set
 * holds several keys by their ids, so that the master key can be rotated.
 */
@ApplicationScoped
class MasterKey {
  private final Path file;
  private final Optional<String> fromEnvironment;

  MasterKey(
      @ConfigProperty(name = "tolvin.data") String data,
      @ConfigProperty(name = "tolvin.master.key") Optional<String> fromEnvironment) {
    this.file = Path.of(data, "master-key.json");
    this.fromEnvironment = fromEnvironment;
  }

  /**
   * Opens the master key, or makes one for a coffer that is still empty.
   *
   * @param cofferIsEmpty whether nothing has ever been put into the coffer
   */
  Aead open(boolean cofferIsEmpty) {
    try {
      AeadConfig.register();
      String text = fromEnvironment.isPresent() ? fromEnvironment.get() : read(cofferIsEmpty);
      return TinkJsonProtoKeysetFormat.parseKeyset(
              text, RegistryConfiguration.get(), InsecureSecretKeyAccess.get())
          .getPrimitive(RegistryConfiguration.get(), Aead.class);
    } catch (GeneralSecurityException | IOException e) {
      throw new IllegalStateException(
          "The coffer's master key could not be opened: " + e.getMessage(), e);
    }
  }

  private String read(boolean mayMake) throws IOException, GeneralSecurityException {
    if (!Files.exists(file)) {
      if (!mayMake) {
        throw new IOException(
            file
                + " is missing, but the coffer holds entries. Put the key back from where it is"
                + " kept; a new one cannot open them");
      }
      String made =
          TinkJsonProtoKeysetFormat.serializeKeyset(
              KeysetHandle.generateNew(
                  PredefinedAeadParameters.AES256_GCM, RegistryConfiguration.get()),
              RegistryConfiguration.get(),
              InsecureSecretKeyAccess.get());
      Files.createDirectories(file.getParent());
      Path beside = file.resolveSibling(file.getFileName() + ".new");
      Files.deleteIfExists(beside);
      Files.createFile(
          beside,
          PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.writeString(beside, made, StandardOpenOption.SYNC);
      Files.move(beside, file);
    }
    return Files.readString(file);
  }
}
