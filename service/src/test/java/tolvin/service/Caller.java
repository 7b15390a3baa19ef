package tolvin.service;

import static io.restassured.RestAssured.given;

import io.restassured.http.ContentType;
import io.restassured.response.ValidatableResponse;
import io.restassured.specification.RequestSpecification;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.Map;
import java.util.Properties;
import java.util.UUID;
import tolvin.core.pair.KeyPairMaker;
import tolvin.standins.local.Ports;

/** Calls as the first administrator, and the small things that every test needs. */
final class Caller {
  private static final SecureRandom RANDOM = new SecureRandom();

  private Caller() {}

  static RequestSpecification api() {
    return given().filter(Contract.CHECKED).auth().oauth2(token()).contentType(ContentType.JSON);
  }

  /** The first administrator, signed in with their password. */
  static RequestSpecification session() {
    return signedIn("admin", "four words of iron");
  }

  static RequestSpecification signedIn(String login, String password) {
    var session =
        given()
            .contentType(ContentType.JSON)
            .body(Map.of("login", login, "password", password))
            .post("/api/v1/session");
    return given()
        .filter(Contract.CHECKED)
        .contentType(ContentType.JSON)
        .cookies(session.cookies())
        .header("X-Tolvin-Csrf", session.<String>path("csrf"));
  }

  /** A person who is let in, chooses a password with the link, and signs in. */
  static RequestSpecification joined(String login, String identity) {
    String link =
        session()
            .body(Map.of("login", login, "identityId", identity))
            .post("/api/v1/users")
            .path("link");
    String password = "haul on " + UUID.randomUUID();
    given()
        .contentType(ContentType.JSON)
        .body(Map.of("link", link.replaceFirst(".*#", ""), "password", password))
        .post("/api/v1/users/join")
        .then()
        .statusCode(200);
    return signedIn(login, password);
  }

  /** Lets a seat or a server name a command. */
  static void approve(String command) {
    session()
        .body(Map.of("command", command, "reason", "the test runs it"))
        .post("/api/v1/host-commands")
        .then()
        .statusCode(200);
  }

  static String token() {
    try (var in = Files.newInputStream(PostgresForTests.data.resolve("first-sign-in.properties"))) {
      Properties properties = new Properties();
      properties.load(in);
      return properties.getProperty("token");
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  static Map<String, String> identity() {
    return Map.of(
        "name", "feed-" + UUID.randomUUID(),
        "kind", "service-account",
        "team", "Shore systems",
        "responsible", "Isla Renwick");
  }

  static String addIdentity() {
    return api().body(identity()).post("/api/v1/identities").path("id");
  }

  /** Places a key and waits until its placement is in a state. */
  static void place(String key, String account, String state) throws Exception {
    place(Map.of("keyId", key, "accountId", account, "title", "boats"), state);
  }

  /** Likewise, with whatever else is wished. */
  static void place(Map<String, Object> request, String state) {
    String placement =
        api().body(request).post("/api/v1/placements").then().statusCode(200).extract().path("id");
    Ports.await(
        "it is " + state,
        Duration.ofSeconds(30),
        () -> state.equals(api().get("/api/v1/placements/" + placement).path("state")));
  }

  /** Has lines of a destination's sign-in log taken in. */
  static ValidatableResponse readUses(String destination, String log) {
    return given()
        .auth()
        .oauth2(token())
        .contentType("application/octet-stream")
        .body(log.getBytes(StandardCharsets.ISO_8859_1))
        .post("/api/v1/destinations/" + destination + "/uses")
        .then()
        .statusCode(200);
  }

  static String line() {
    return KeyPairMaker.ed25519(RANDOM).key().line();
  }

  /** A new key in the coffer, of an identity of its own. */
  static String madeKey() {
    return api()
        .body(Map.of("identityId", addIdentity()))
        .post("/api/v1/made-keys")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }
}
