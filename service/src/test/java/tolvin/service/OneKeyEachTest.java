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
import java.security.SecureRandom;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
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
            .account("quay")
            .account("crane")
            .account("keeper")
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
                "family",
                "sftp-server",
                "port",
                server.port(),
                "hostKeys",
                List.of(server.hostKey().line()),
                "managementLogin",
                "keeper",
                "keysPath",
                server.directory() + "/home/{login}/.ssh/authorized_keys",
                "logPath",
                server.log().toString()));
    server.authorize("keeper", api().get("/api/v1/destinations/" + signInAt).path("tolvinKey"));
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

  /** Tolvin has no private key to try: what the clients meet at the server says it. */
  @Test
  void aKeyThatShutsAStrangersOutIsTakenOffWhenTheirClientIsRefused() throws Exception {
    SecretPair theirs = KeyPairMaker.ed25519(new SecureRandom());
    repository.outside("keys/quay.pub", theirs.key().line("their client") + "\n");
    String account = SweepTest.account(keysAt, "quay", Map.of("holds", 5));
    Ports.await(
        "the account was read",
        Duration.ofSeconds(60),
        () -> api().get("/api/v1/accounts/" + account).asString().contains("their client"));
    try (SshConnections connections =
        new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE))) {
      SshTrials client = new SshTrials(connections);
      Login login =
          new Login(
              new Server("quay", "127.0.0.1", server.port(), List.of(server.hostKey())),
              "quay",
              theirs);
      Ports.await(
          "their use is on record",
          Duration.ofSeconds(60),
          () -> {
            assertThat(isLetIn(client, login)).isTrue();
            return RealClients.count(
                    "select count(*) from use_seen u join account a on a.id = u.account_id where"
                        + " a.login = 'quay'")
                > 0;
          });
      String placement =
          api()
              .body(Map.of("keyId", Caller.madeKey(), "accountId", account, "title", "second"))
              .post("/api/v1/placements")
              .then()
              .statusCode(200)
              .extract()
              .path("id");
      Ports.await(
          "it was placed, and they are refused",
          Duration.ofSeconds(60),
          () -> !isLetIn(client, login));
      Ports.await(
          "it was taken off again, and they are let in",
          Duration.ofSeconds(60),
          () ->
              isLetIn(client, login)
                  && "withdrawn"
                      .equals(api().get("/api/v1/placements/" + placement).path("state")));
    }
    assertThat(repository.say("show", "main:keys/quay.pub").strip())
        .isEqualTo(theirs.key().line("their client"));
    assertThat(api().get("/api/v1/journal?limit=100").asString())
        .contains("is refused since this key was placed beside it");
  }

  /** Likewise where a rotation placed it: the private key is on the client's host alone. */
  @Test
  void aRotationThatShutsItsClientOutIsRolledBackByWhatTheLogSays() throws Exception {
    RealClients.start();
    RealClients.Client client = RealClients.Client.of(server, "crane", keysAt, "");
    Ports.await(
        "its use is on record",
        Duration.ofSeconds(60),
        () -> {
          assertThat(client.signIn()).isEmpty();
          return RealClients.count(
                  "select count(*) from use_seen u join account a on a.id = u.account_id where"
                      + " a.login = 'crane'")
              > 0;
        });
    String rotation = RealClients.run(client.key(), "PT1S");
    Ports.await("it is refused", Duration.ofSeconds(60), () -> !client.signIn().isEmpty());
    Ports.await(
        "the rotation was rolled back",
        Duration.ofSeconds(120),
        () -> {
          client.signIn();
          System.err.println("JOU " + api().get("/api/v1/journal?limit=12").asString());
          return "rolled-back".equals(api().get(rotation).path("rotation.outcome"));
        });
    assertThat(client.signIn()).isEmpty();
    assertThat(client.beside()).isEmpty();
    assertThat(Files.readAllLines(applied("crane"))).hasSize(1);
    api()
        .get(rotation)
        .then()
        .body("rotation.turnedBecause", containsString("is refused since this key was placed"));
  }

  private static boolean isLetIn(SshTrials client, Login login) {
    try {
      return client.signIn(login).accepted();
    } catch (PortException e) {
      throw new IllegalStateException(e);
    }
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
