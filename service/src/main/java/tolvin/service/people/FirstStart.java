package tolvin.service.people;

import io.quarkus.runtime.StartupEvent;
import jakarta.annotation.Priority;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.people.NewTokenView;
import tolvin.service.coffer.Coffer;
import tolvin.service.web.Role;

/**
 * Opens the coffer, and on the first start of all makes the first administrator. Its password comes
 * from TOLVIN_ADMIN_PASSWORD or is made; it is written, with a first API token for the client, into
 * {@code first-sign-in.properties} in the data directory, which only its owner can read.
 */
@ApplicationScoped
public class FirstStart {
  private final People people;
  private final Coffer coffer;
  private final Path file;
  private final Optional<String> password;

  FirstStart(
      People people,
      Coffer coffer,
      @ConfigProperty(name = "tolvin.data") String data,
      @ConfigProperty(name = "tolvin.admin.password") Optional<String> password) {
    this.people = people;
    this.coffer = coffer;
    this.file = Path.of(data, "first-sign-in.properties");
    this.password = password;
  }

  void start(@Observes @Priority(1) StartupEvent event) throws IOException {
    coffer.open();
    if (!people.isEmpty()) {
      return;
    }
    // First the file, then the user: a password that nobody knows must never come about.
    String secret = password.orElseGet(people::words);
    Files.createDirectories(file.toAbsolutePath().getParent());
    Files.deleteIfExists(file);
    Files.createFile(
        file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(file, "login=admin\npassword=" + secret + "\n");
    people.addUser("admin", "First administrator", Role.ADMINISTRATOR, secret);
    NewTokenView token =
        people.makeToken("admin", "first command-line client", Duration.ofDays(90));
    Files.writeString(file, "token=" + token.token() + "\n", StandardOpenOption.APPEND);
  }
}
