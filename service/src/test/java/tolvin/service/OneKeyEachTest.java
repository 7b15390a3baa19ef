package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.standins.local.LocalRepository;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * A repository whose hook wants one key in each file, and drops a file with two: the client that
 * signs in with the first one is shut out until the second is gone.
 */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class OneKeyEachTest {
  private static LocalSshServer server;
  private static LocalRepository repository;
  private static String keysAt;

  @BeforeAll
  static void start(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    server =
        LocalSshServer.at(
                directory.resolve("sshd"),
                Ports.free(),
                "AuthorizedKeysFile .ssh/authorized_keys .ssh/from-repository")
            .account("git")
            .account("loader")
            .account("boats")
            .start();
    repository = LocalRepository.in(server, "git");
    repository.hook(
        "post-receive",
        "for home in '"
            + server.directory()
            + "'/home/*; do\n"
            + "  login=${home##*/}\n"
            + "  git show \"main:keys/$login.pub\" > \"$home/.ssh/from-repository\" 2>/dev/null || :\n"
            + "  if [ $(grep -c AAAA \"$home/.ssh/from-repository\") -gt 1 ]; then\n"
            + "    echo \"keys/$login.pub holds several keys and is left out\" >&2\n"
            + "    : > \"$home/.ssh/from-repository\"\n"
            + "  fi\n"
            + "  chmod 600 \"$home/.ssh/from-repository\"\n"
            + "done\n");
  }

  @BeforeEach
  void attach() throws Exception {
    if (keysAt != null) {
      return;
    }
    String signInAt =
        SweepTest.attach(
            Map.of(
                "family", "sftp-server",
                "port", server.port(),
                "hostKeys", List.of(server.hostKey().line())));
    keysAt =
        SweepTest.attach(
            Map.of(
                "family", "key-repository",
                "port", server.port(),
                "hostKeys", List.of(server.hostKey().line()),
                "signsInAtId", signInAt,
                "settings", Map.of("path", LocalRepository.PATH)));
    server.authorize("git", api().get("/api/v1/destinations/" + keysAt).path("tolvinKey"));
  }

  @AfterAll
  static void stop() {
    server.close();
  }

  private static Path applied(String login) {
    return server.home(login).resolve(".ssh/from-repository");
  }

  @Test
  void aKeyThatShutsAnotherOutIsTakenOffAgainAtOnceAndNotTriedAgain() throws Exception {
    String account = SweepTest.account(keysAt, "loader", Map.of("holds", 5));
    String old = Caller.madeKey();
    Caller.place(old, account, "proven");
    assertThat(applied("loader")).isNotEmptyFile();
    String fresh = Caller.madeKey();
    String placement =
        api()
            .body(Map.of("keyId", fresh, "accountId", account, "title", "second"))
            .post("/api/v1/placements")
            .then()
            .statusCode(200)
            .extract()
            .path("id");
    Ports.await(
        "it was taken off again",
        Duration.ofSeconds(60),
        () -> "withdrawn".equals(api().get("/api/v1/placements/" + placement).path("state")));
    api()
        .get("/api/v1/placements/" + placement)
        .then()
        .body("reason", containsString("was refused twice"))
        .body("reason", containsString("holds several keys and is left out"))
        .body("reason", containsString("signs in again"));
    assertThat(applied("loader")).isNotEmptyFile();
    assertThat(repository.say("show", "main:keys/loader.pub").lines()).hasSize(1);
    String commits = repository.say("rev-list", "--count", "main");
    api()
        .body(Map.of("keyId", old))
        .post("/api/v1/accounts/" + account + "/trials")
        .then()
        .statusCode(200)
        .body("accepted", equalTo(true));
    String refused =
        api()
            .body(Map.of("keyId", fresh))
            .post("/api/v1/accounts/" + account + "/trials")
            .then()
            .statusCode(200)
            .body("accepted", equalTo(false))
            .extract()
            .path("id");
    String text =
        api()
            .accept("text/plain")
            .get("/api/v1/trials/" + refused + "/support-text")
            .then()
            .statusCode(200)
            .extract()
            .asString();
    assertThat(text)
        .contains(
            ": refused", "What explains it", "SSH-2.0-OpenSSH", server.hostKey().fingerprintText())
        .contains(api().get("/api/v1/keys/" + fresh).<String>path("fingerprint"))
        .contains(String.valueOf(server.port()));
    assertThat(repository.say("rev-list", "--count", "main")).isEqualTo(commits);
  }

  @Test
  void aRotationStopsThereAndIsRolledBack() throws Exception {
    String account = SweepTest.account(keysAt, "boats", Map.of("holds", 5));
    String old = Caller.madeKey();
    Caller.place(old, account, "proven");
    String rotation = RealClients.run(old, "PT1S");
    Ports.await(
        "the new key was taken off again",
        Duration.ofSeconds(60),
        () ->
            RealClients.count(
                    "select count(*) from placement p join account a on a.id = p.account_id"
                        + " where a.login = 'boats' and p.taken_back_because is not null")
                == 1);
    String commits = repository.say("rev-list", "--count", "main");
    Ports.await(
        "it is not placed again",
        Duration.ofSeconds(60),
        () ->
            RealClients.count(
                    "select count(*) from attempt t join account a on a.id = t.account_id where"
                        + " a.login = 'boats' and t.kind = 'PLACE' and t.outcome = 'FAILED'")
                >= 2);
    assertThat(repository.say("rev-list", "--count", "main")).isEqualTo(commits);
    assertThat(applied("boats")).isNotEmptyFile();
    api()
        .body(Map.of("reason", "one key each"))
        .post(rotation + "/roll-back")
        .then()
        .statusCode(200);
    RealClients.await(rotation, "outcome", "rolled-back", null);
    assertThat(repository.say("show", "main:keys/boats.pub").lines()).hasSize(1);
    assertThat(applied("boats")).isNotEmptyFile();
  }
}
