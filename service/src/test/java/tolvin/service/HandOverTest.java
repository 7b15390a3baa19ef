package tolvin.service;

import static io.restassured.RestAssured.given;
import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.anyOf;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.not;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.specification.RequestSpecification;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** A partner's server that only they can change: asked, replied, believed by trials alone. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class HandOverTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static LocalSshServer customs;

  @BeforeAll
  static void start(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    customs =
        LocalSshServer.at(
                directory.resolve("customs"),
                Ports.free(),
                "PasswordAuthentication yes",
                "Match User both",
                "AuthenticationMethods publickey,password")
            .account("ferries")
            .account("both")
            .password("both", "a word between partners")
            .start();
  }

  @AfterAll
  static void stop() {
    customs.close();
  }

  private static String partner() {
    return SweepTest.attach(
        Map.of(
            "family", "partner",
            "port", customs.port(),
            "hostKeys", List.of(customs.hostKey().line()),
            "settings",
                Map.of(
                    "to-whom", "Customs office",
                    "contact", "+00 1 23 45",
                    "form", "rfc4716")));
  }

  private static String made() {
    return api()
        .body(Map.of("identityId", Caller.addIdentity()))
        .post("/api/v1/made-keys")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static String place(String key, String account) {
    return api()
        .body(Map.of("keyId", key, "accountId", account, "title", "declarations"))
        .post("/api/v1/placements")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static String handOver(String key) throws Exception {
    String print = api().get("/api/v1/keys/" + key).path("fingerprint");
    String[] found = new String[1];
    Ports.await(
        "the partner is asked",
        Duration.ofSeconds(30),
        () -> {
          found[0] =
              api().get("/api/v1/hand-overs").path("items.find { it.key == '" + print + "' }.id");
          return found[0] != null;
        });
    return found[0];
  }

  private static String link(String handOver) {
    String link =
        api()
            .post("/api/v1/hand-overs/" + handOver + "/package")
            .then()
            .statusCode(200)
            .body("text", containsString("+00 1 23 45"))
            .extract()
            .path("link");
    return link.substring(link.indexOf("/reply/"));
  }

  private static RequestSpecification guest() {
    return given().contentType("application/x-www-form-urlencoded");
  }

  /** A trial at that very moment may have confirmed it before, and the link leads nowhere then. */
  private static void replied(String link) {
    guest()
        .formParam("name", "Oona")
        .formParam("word", "done")
        .post(link)
        .then()
        .statusCode(anyOf(equalTo(200), equalTo(410)));
  }

  private static void awaitState(String placement, String state) throws Exception {
    Ports.await(
        "the placement is " + state,
        Duration.ofSeconds(60),
        () -> state.equals(api().get("/api/v1/placements/" + placement).path("state")));
  }

  @Test
  void aPartnerIsAskedAndBelievedByATrialNotByTheirWord() throws Exception {
    String at = partner();
    String account = SweepTest.account(at, "ferries", Map.of());
    String key = made();
    String line = api().get("/api/v1/keys/" + key).path("line");
    String placement = place(key, account);
    String asked = handOver(key);
    String link = link(asked);
    given()
        .get(link)
        .then()
        .statusCode(200)
        .header("Cache-Control", equalTo("no-store"))
        .body(containsString("BEGIN SSH2 PUBLIC KEY"))
        .body(containsString("Take none out yet"));
    guest().formParam("name", "").formParam("word", "done").post(link).then().statusCode(422);
    guest()
        .formParam("name", "Oona <b>Varr</b>")
        .formParam("word", "done")
        .formParam("note", "<script>alert(1)</script>")
        .post(link)
        .then()
        .statusCode(200)
        .body(containsString("Thank you"));
    guest().formParam("name", "again").formParam("word", "done").post(link).then().statusCode(410);
    given().get(link).then().statusCode(410).body(not(containsString("ssh-ed25519")));
    given().get("/reply/made-up").then().statusCode(410);
    api()
        .get("/api/v1/hand-overs/" + asked)
        .then()
        .body("state", equalTo("replied"))
        .body("reply", containsString("<script>"));
    assertThat((String) api().get("/api/v1/placements/" + placement).path("state"))
        .as("their word alone is nothing")
        .isEqualTo("wanted");

    customs.authorize("ferries", line);
    String second = link(asked);
    replied(second);
    awaitState(placement, "proven");
    api().get("/api/v1/hand-overs/" + asked).then().body("state", equalTo("confirmed"));

    // a second key beside it, and then the first one out
    String other = made();
    customs.authorize("ferries", api().get("/api/v1/keys/" + other).path("line"));
    String otherPlacement = place(other, account);
    awaitState(otherPlacement, "proven");
    api()
        .body(Map.of("reason", "replaced"))
        .post("/api/v1/placements/" + placement + "/withdraw")
        .then()
        .statusCode(200);
    String out = handOver(key);
    api().get("/api/v1/hand-overs/" + out).then().body("kind", equalTo("take-out"));
    Files.writeString(
        customs.authorizedKeys("ferries"),
        Files.readString(customs.authorizedKeys("ferries")).replace(line + "\n", ""));
    replied(link(out));
    awaitState(placement, "withdrawn");
    api()
        .get("/api/v1/hand-overs/" + out)
        .then()
        .body("lastTrial", containsString("refused there, and another one is let in"));
  }

  @Test
  void anAccountThatWantsAKeyAndAPasswordIsTriedWithBoth() throws Exception {
    String account =
        SweepTest.account(
            partner(), "both", Map.of("signInMode", "both", "password", "a word between partners"));
    String key = made();
    customs.authorize("both", api().get("/api/v1/keys/" + key).path("line"));
    awaitState(place(key, account), "proven");
    assertThat(api().get("/api/v1/accounts/" + account).asString())
        .doesNotContain("a word between partners");
  }

  @Test
  void theirKeyIsPlacedOnlyWhenItsFingerprintWasCompared() throws Exception {
    LocalSshServer ours =
        LocalSshServer.at(customs.directory().resolveSibling("ours"), Ports.free())
            .account("customs")
            .start();
    try (ours;
        SecretPair theirs = KeyPairMaker.ed25519(RANDOM)) {
      String at =
          SweepTest.attach(
              Map.of(
                  "family", "sftp-server",
                  "port", ours.port(),
                  "hostKeys", List.of(ours.hostKey().line())));
      ours.authorize("customs", api().get("/api/v1/destinations/" + at).path("tolvinKey"));
      String account = SweepTest.account(at, "customs", Map.of());
      String asked =
          api()
              .body(
                  Map.of(
                      "accountId", account, "toWhom", "Customs office", "contact", "+00 1 23 45"))
              .post("/api/v1/hand-overs")
              .then()
              .statusCode(200)
              .extract()
              .path("id");
      String link = link(asked);
      byte[] privateFile = OpenSshFile.write(theirs, "x", RANDOM);
      guest()
          .formParam("name", "Oona")
          .formParam("word", "done")
          .formParam("key", new String(privateFile))
          .post(link)
          .then()
          .statusCode(422)
          .contentType("text/html")
          .body(containsString("treat the key as exposed"))
          .body(not(containsString("PRIVATE KEY-----")));
      PublicKey key = theirs.key();
      guest()
          .formParam("name", "Oona")
          .formParam("word", "done")
          .formParam("key", "> " + key.line("oona@customs"))
          .post(link)
          .then()
          .statusCode(200);
      String identity = Caller.addIdentity();
      api()
          .body(Map.of("fingerprint", "SHA256:" + "A".repeat(43), "identityId", identity))
          .post("/api/v1/hand-overs/" + asked + "/accept")
          .then()
          .statusCode(409)
          .body("detail", containsString("not the fingerprint"));
      assertThat(Files.readString(ours.authorizedKeys("customs"))).doesNotContain(key.line());
      api()
          .body(Map.of("fingerprint", key.fingerprintText(), "identityId", identity))
          .post("/api/v1/hand-overs/" + asked + "/accept")
          .then()
          .statusCode(200);
      Ports.await(
          "their key is placed",
          Duration.ofSeconds(30),
          () -> {
            try {
              return Files.readString(ours.authorizedKeys("customs")).contains(key.line());
            } catch (java.io.IOException e) {
              return false;
            }
          });
    }
  }
}
