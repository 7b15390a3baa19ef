package tolvin.service;

import static io.restassured.RestAssured.given;
import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.specification.RequestSpecification;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** Jump hosts, and how accounts sign in, on real servers. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class SshDepthTest {
  private static String made() {
    return api()
        .body(Map.of("identityId", Caller.addIdentity()))
        .post("/api/v1/made-keys")
        .path("id");
  }

  private static void reachable(Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
  }

  @Test
  void passwordsGoOffOnlyWhenAKeyIsProvenByWhoeverUsesIt(@TempDir Path directory) throws Exception {
    reachable(directory);
    Path modes = Files.createDirectory(directory.resolve("modes"));
    Unprivileged.own(modes);
    LocalSshServer server =
        LocalSshServer.at(
                directory.resolve("ssh"),
                Ports.free(),
                "Include " + modes + "/*.conf",
                "PasswordAuthentication yes")
            .account("keeper")
            .account("boats")
            .password("boats", "old habits")
            .start();
    String reload = "kill -HUP $(cat " + server.directory() + "/pid)";
    Caller.approve(reload);
    try (server) {
      String at =
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
                  server.log().toString(),
                  "modePath",
                  modes + "/{login}.conf",
                  "reloadCommand",
                  reload));
      server.authorize("keeper", api().get("/api/v1/destinations/" + at).path("tolvinKey"));
      String account = SweepTest.account(at, "boats", Map.of("signInMode", "either"));
      RequestSpecification admin = Caller.session();
      String key = made();
      Caller.place(key, account, "proven");
      Map<String, String> toKey = Map.of("mode", "key", "reason", "no passwords");
      given()
          .spec(admin)
          .body(toKey)
          .post("/api/v1/accounts/" + account + "/sign-in-mode")
          .then()
          .statusCode(409)
          .body("detail", containsString("Nobody who uses the account"));
      assertThat(modes.toFile().list()).isEmpty();
      String used =
          "2026-01-01T00:00:00Z h sshd[1]: Accepted publickey for boats from 10.0.0.1 port 9 ssh2:"
              + " ED25519 "
              + api().get("/api/v1/keys/" + key).path("fingerprint");
      Caller.readUses(at, used).body("counted", equalTo(1));
      given()
          .spec(admin)
          .body(toKey)
          .post("/api/v1/accounts/" + account + "/sign-in-mode")
          .then()
          .statusCode(200)
          .body("mode", equalTo("key"));
      api().get("/api/v1/accounts/" + account).then().body("modeSeen", equalTo("key"));
      given()
          .spec(admin)
          .body(Map.of("mode", "either", "reason", "back"))
          .post("/api/v1/accounts/" + account + "/sign-in-mode")
          .then()
          .statusCode(200);
      assertThat(Files.readString(modes.resolve("boats.conf"))).contains("Match User boats");
      String lately =
          java.time.Instant.now().minusSeconds(60)
              + " h sshd[1]: Accepted publickey for boats from 10.0.0.7 port 9 ssh2: ED25519 "
              + api().get("/api/v1/keys/" + key).path("fingerprint");
      Caller.readUses(at, lately).body("counted", equalTo(1));
      Map<String, Object> toPassword = new HashMap<>(Map.of("mode", "password", "reason", "back"));
      String change = "/api/v1/accounts/" + account + "/sign-in-mode";
      given()
          .spec(admin)
          .body(toPassword)
          .post(change)
          .then()
          .statusCode(409)
          .body("detail", containsString("from 10.0.0.7"))
          .body("remedy", containsString("overrule"));
      toPassword.put("overrule", true);
      given()
          .spec(admin)
          .body(toPassword)
          .post(change)
          .then()
          .statusCode(200)
          .body("mode", equalTo("password"));
      api()
          .get("/api/v1/journal?subject=" + account)
          .then()
          .body("items.data", hasItem(containsString("from 10.0.0.7")));
    }
  }

  @Test
  void aServerBehindAJumpHostIsReachedAndItsOwnHostKeyCounts(@TempDir Path directory)
      throws Exception {
    reachable(directory);
    LocalSshServer jump =
        LocalSshServer.at(directory.resolve("jump"), Ports.free()).account("through").start();
    LocalSshServer behind =
        LocalSshServer.at(directory.resolve("behind"), Ports.free()).account("boats").start();
    try (jump;
        behind) {
      String jumpHost =
          SweepTest.attach(
              Map.of(
                  "family", "sftp-server",
                  "port", jump.port(),
                  "hostKeys", List.of(jump.hostKey().line())));
      jump.authorize("through", api().get("/api/v1/destinations/" + jumpHost).path("tolvinKey"));
      String at =
          SweepTest.attach(
              Map.of(
                  "family",
                  "sftp-server",
                  "port",
                  behind.port(),
                  "hostKeys",
                  List.of(behind.hostKey().line()),
                  "routeId",
                  jumpHost,
                  "routeLogin",
                  "through"));
      behind.authorize("boats", api().get("/api/v1/destinations/" + at).path("tolvinKey"));
      String account = SweepTest.account(at, "boats", Map.of());
      Caller.place(made(), account, "proven");
      assertThat(Files.readString(jump.log()))
          .as("it went through the jump host")
          .contains("Accepted publickey for through");
      assertThat(Files.readString(behind.log())).contains("Accepted publickey for boats");
      behind.close();
      behind.replaceHostKey();
      behind.start();
      placedStops(at, account);
    }
  }

  private static void placedStops(String at, String account) throws Exception {
    api()
        .body(Map.of("keyId", made(), "accountId", account, "title", "second"))
        .post("/api/v1/placements")
        .then()
        .statusCode(200);
    Ports.await(
        "the changed host key stops it",
        Duration.ofSeconds(60),
        () -> api().get("/api/v1/destinations/" + at).path("stoppedBecause") != null);
  }
}
