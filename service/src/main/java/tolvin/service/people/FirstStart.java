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
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.api.people.NewTokenView;
import tolvin.core.people.TokenScope;
import tolvin.service.coffer.Coffer;
import tolvin.service.problem.CannotStart;

/**
 * Opens the coffer, and on the first start of all makes the first administrator. Its password comes
 * from TOLVIN_ADMIN_PASSWORD or is made; it is written, with a first API token for the client, into
 * {@code first-sign-in.properties} in the data directory, which only its owner can read.
 */
@ApplicationScoped
public class FirstStart {
  private final Users users;
  private final Tokens tokens;
  private final Passwords passwords;
  private final Coffer coffer;
  private final Path file;
  private final Optional<String> password;
  private final String login;
  private final String name;

  FirstStart(
      Users users,
      Tokens tokens,
      Passwords passwords,
      Coffer coffer,
      @ConfigProperty(name = "tolvin.data") String data,
      @ConfigProperty(name = "tolvin.admin.password") Optional<String> password,
      @ConfigProperty(name = "tolvin.admin.login") String login,
      @ConfigProperty(name = "tolvin.admin.name") String name) {
    this.users = users;
    this.tokens = tokens;
    this.passwords = passwords;
    this.coffer = coffer;
    this.file = Path.of(data, "first-sign-in.properties");
    this.password = password;
    this.login = login;
    this.name = name;
  }

  void start(@Observes @Priority(1) StartupEvent event) throws IOException {
    try {
      coffer.open();
    } catch (IllegalStateException wrongKey) {
      CannotStart.because(wrongKey.getMessage());
    }
    if (!users.isEmpty()) {
      return;
    }
    // First the file, then the user: a password that nobody knows must never come about.
    String secret = password.orElseGet(passwords::words);
    Files.createDirectories(file.toAbsolutePath().getParent());
    Files.deleteIfExists(file);
    Files.createFile(
        file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
    Files.writeString(file, "login=" + login + "\npassword=" + secret + "\n");
    UUID admin = users.addFirst(login, name, secret);
    NewTokenView token =
        tokens.make(admin, "first command-line client", Duration.ofDays(90), TokenScope.ADMINISTER);
    Files.writeString(file, "token=" + token.token() + "\n", StandardOpenOption.APPEND);
  }
}
