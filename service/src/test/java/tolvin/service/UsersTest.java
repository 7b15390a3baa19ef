package tolvin.service;

import static io.restassured.RestAssured.given;
import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.endsWith;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static org.hamcrest.Matchers.not;
import static org.hamcrest.Matchers.notNullValue;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.http.ContentType;
import io.restassured.response.ValidatableResponse;
import io.restassured.specification.RequestSpecification;
import jakarta.inject.Inject;
import jakarta.persistence.EntityManager;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.UUID;
import org.junit.jupiter.api.Test;

/** The life of users, and what asks for more than a session or a token. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class UsersTest {
  @Inject EntityManager database;

  private static String login() {
    return "u" + UUID.randomUUID().toString().substring(0, 8);
  }

  private static String person(String name) {
    return Caller.api()
        .body(Map.of("name", name, "kind", "person", "team", "Bridge", "responsible", name))
        .post("/api/v1/identities")
        .path("id");
  }

  private static RequestSpecification as(RequestSpecification session) {
    return given().spec(session);
  }

  private static String secret(String link) {
    return link.replaceFirst(".*/join#", "");
  }

  private static ValidatableResponse join(String link, String password) {
    return given()
        .contentType(ContentType.JSON)
        .body(Map.of("link", secret(link), "password", password))
        .post("/api/v1/users/join")
        .then();
  }

  private static String idOf(String login) {
    return Caller.session()
        .get("/api/v1/users")
        .path("items.find { it.login == '" + login + "' }.id");
  }

  /** Makes every session of a login older by some minutes. */
  private void age(String login, String field, int minutes) {
    QuarkusTransaction.requiringNew()
        .run(
            () ->
                database
                    .createNativeQuery(
                        "update sign_in_session set "
                            + field
                            + " = now() - :minutes * interval '1 minute' where user_id ="
                            + " (select id from user_account where login = :login)")
                    .setParameter("login", login)
                    .setParameter("minutes", minutes)
                    .executeUpdate());
  }

  @Test
  void aPersonChoosesAPasswordWithALinkThatIsGoodOnce() throws Exception {
    String login = login();
    String name = "Person " + UUID.randomUUID();
    String identity = person(name);
    var added =
        Caller.session()
            .body(Map.of("login", login, "identityId", identity))
            .post("/api/v1/users")
            .then()
            .statusCode(200)
            .extract();
    String link = added.path("link");
    assertThat(link).contains("/join#");
    assertThat(PostgresForTests.postgres.dump()).doesNotContain(secret(link));
    join(link, "short").statusCode(422);
    join(link, "haul on the bowline").statusCode(200).body("login", equalTo(login));
    join(link, "haul on the bowline").statusCode(403).body("type", endsWith("link-used"));
    RequestSpecification session = Caller.signedIn(login, "haul on the bowline");
    as(session).get("/api/v1/mine").then().statusCode(200);
    as(session).get("/api/v1/users").then().statusCode(403);
    Caller.session()
        .body(Map.of("login", login(), "identityId", identity))
        .post("/api/v1/users")
        .then()
        .statusCode(409)
        .body("type", endsWith("identity-has-user"))
        .body("detail", containsString(login));
    Caller.session()
        .get("/api/v1/journal?action=user.joined")
        .then()
        .body(
            "items.find { it.text.startsWith('" + login + "') }.who",
            equalTo(name + " (" + login + ")"));
  }

  @Test
  void aLinkThatAnAdministratorMakesOpensNothingOlderForAWhile() throws Exception {
    String login = login();
    String identity = person("Person " + UUID.randomUUID());
    String before = made(identity);
    RequestSpecification owner = Caller.joined(login, identity);
    download(owner, before).statusCode(403).body("type", endsWith("login-too-new"));
    QuarkusTransaction.requiringNew()
        .run(
            () ->
                database
                    .createNativeQuery(
                        "update user_account set opened_at = now() - interval '4 days' where login"
                            + " = :login")
                    .setParameter("login", login)
                    .executeUpdate());
    String other = made(identity);
    download(owner, before).statusCode(200);

    String again = Caller.session().post("/api/v1/users/" + idOf(login) + "/link").path("link");
    as(owner).get("/api/v1/mine").then().statusCode(200); // a link alone ends nothing
    join(again, "somebody else's words").statusCode(200);
    as(owner).get("/api/v1/mine").then().statusCode(401);
    RequestSpecification thief = Caller.signedIn(login, "somebody else's words");
    as(thief)
        .get("/api/v1/session")
        .then()
        .body("openedBy", equalTo("admin"))
        .body("olderSecretsFrom", notNullValue());
    download(thief, other).statusCode(403).body("detail", containsString("admin made"));
    download(thief, made(identity)).statusCode(200); // made after it
  }

  private static String made(String identity) {
    return Caller.api().body(Map.of("identityId", identity)).post("/api/v1/made-keys").path("id");
  }

  private static ValidatableResponse download(RequestSpecification session, String key) {
    return as(session)
        .body(Map.of("passphrase", "four words of iron", "form", "openssh"))
        .post("/api/v1/made-keys/" + key + "/download")
        .then();
  }

  @Test
  void usersAreDisabledEnabledAndRemoved() {
    String login = login();
    RequestSpecification session = Caller.joined(login, person("Person " + UUID.randomUUID()));
    String token =
        as(session)
            .body(Map.of("name", "laptop", "life", "P1D", "scope", "read"))
            .post("/api/v1/tokens")
            .path("token");
    String user = "/api/v1/users/" + idOf(login);
    Caller.session().body(Map.of("state", "disabled")).patch(user).then().statusCode(200);
    as(session).get("/api/v1/mine").then().statusCode(401);
    given().auth().oauth2(token).get("/api/v1/mine").then().statusCode(401);
    Caller.session().post(user + "/link").then().statusCode(409);
    Caller.session()
        .body(Map.of("state", "active"))
        .patch(user)
        .then()
        .body("state", equalTo("active"));
    given().auth().oauth2(token).get("/api/v1/mine").then().statusCode(200);
    Caller.session().delete(user).then().statusCode(204);
    given().auth().oauth2(token).get("/api/v1/mine").then().statusCode(401);
    Caller.session().delete(user).then().statusCode(404);
    Caller.session()
        .body(Map.of("login", login, "name", "x", "role", "administrator"))
        .post("/api/v1/users")
        .then()
        .statusCode(409)
        .body("detail", containsString("still names them"));
    Caller.session()
        .get("/api/v1/journal?action=user.changed")
        .then()
        .body("items.text", hasItem("User " + login + " removed"));
  }

  @Test
  void somebodyIsAlwaysLeftWhoCanLetPeopleIn() {
    String admin = "/api/v1/users/" + idOf("admin");
    Caller.session().delete(admin).then().statusCode(409).body("type", endsWith("yourself"));
    String login = login();
    String link =
        Caller.session()
            .body(Map.of("login", login, "name", "Tormod Haig", "role", "administrator"))
            .post("/api/v1/users")
            .path("link");
    join(link, "haul on the bowline").statusCode(200);
    RequestSpecification second = Caller.signedIn(login, "haul on the bowline");
    as(second)
        .body(Map.of("role", "self"))
        .patch(admin)
        .then()
        .statusCode(422)
        .body("detail", containsString("no identity"));
    as(second).body(Map.of("name", "The first one")).patch(admin).then().statusCode(200);
    as(second).body(Map.of("name", "First administrator")).patch(admin).then().statusCode(200);
    Caller.session()
        .body(Map.of("state", "disabled"))
        .patch("/api/v1/users/" + idOf(login))
        .then()
        .statusCode(200);
    Caller.session().delete("/api/v1/users/" + idOf(login)).then().statusCode(204);
  }

  @Test
  void sessionsEndWhenTheyAreIdleAndFromOutside() {
    String login = login();
    RequestSpecification session = Caller.joined(login, person("Person " + UUID.randomUUID()));
    age(login, "last_used_at", 59);
    as(session).header("X-Tolvin-Unattended", "true").get("/api/v1/mine").then().statusCode(200);
    age(login, "last_used_at", 61);
    as(session).get("/api/v1/mine").then().statusCode(401);

    String other = login();
    RequestSpecification going = Caller.joined(other, person("Person " + UUID.randomUUID()));
    as(going).get("/api/v1/sessions").then().body("items.login", equalTo(List.of(other)));
    String id =
        Caller.session()
            .get("/api/v1/sessions")
            .path("items.find { it.login == '" + other + "' }.id");
    as(Caller.joined(login(), person("Person " + UUID.randomUUID())))
        .delete("/api/v1/sessions/" + id)
        .then()
        .statusCode(404);
    Caller.session().delete("/api/v1/sessions/" + id).then().statusCode(204);
    as(going).get("/api/v1/mine").then().statusCode(401);
  }

  @Test
  void aChangedPasswordEndsTheOtherSessions() {
    String login = login();
    String link =
        Caller.session()
            .body(Map.of("login", login, "identityId", person("Person " + UUID.randomUUID())))
            .post("/api/v1/users")
            .path("link");
    join(link, "haul on the bowline").statusCode(200);
    RequestSpecification one = Caller.signedIn(login, "haul on the bowline");
    RequestSpecification two = Caller.signedIn(login, "haul on the bowline");
    as(one)
        .body(Map.of("password", "wrong", "next", "leave her johnny"))
        .put("/api/v1/session/password")
        .then()
        .statusCode(403);
    as(one)
        .body(Map.of("password", "haul on the bowline", "next", "leave her johnny"))
        .put("/api/v1/session/password")
        .then()
        .statusCode(204);
    as(one).get("/api/v1/mine").then().statusCode(200);
    as(two).get("/api/v1/mine").then().statusCode(401);
    as(Caller.signedIn(login, "leave her johnny")).get("/api/v1/mine").then().statusCode(200);
  }

  @Test
  void whatIsWorthMoreThanASessionAsksForThePasswordAgain() {
    RequestSpecification session = Caller.session();
    age("admin", "confirmed_at", 11);
    String any = UUID.randomUUID().toString();
    Set<String> asking =
        Set.of(
            "POST /api/v1/users",
            "PATCH /api/v1/users/" + any,
            "DELETE /api/v1/users/" + any,
            "POST /api/v1/users/" + any + "/link",
            "POST /api/v1/tokens",
            "POST /api/v1/host-commands",
            "POST /api/v1/made-keys/" + any + "/download",
            "POST /api/v1/accounts/" + any + "/sign-in-mode",
            "POST /api/v1/destinations/" + any + "/host-keys",
            "POST /api/v1/destinations/" + any + "/host-keys/confirm");
    for (String call : asking) {
      String[] parts = call.split(" ");
      for (RequestSpecification caller : List.of(as(session), Caller.api())) {
        caller
            .body("{}")
            .request(parts[0], parts[1])
            .then()
            .statusCode(403)
            .body("type", endsWith("password-needed"));
      }
    }
    as(session)
        .body(Map.of("password", "wrong"))
        .post("/api/v1/session/confirmation")
        .then()
        .statusCode(403);
    as(session)
        .body(Map.of("password", "four words of iron"))
        .post("/api/v1/session/confirmation")
        .then()
        .statusCode(204);
    as(session).body("{}").delete("/api/v1/users/" + any).then().statusCode(404);
    Caller.api()
        .body(Map.of("password", "four words of iron"))
        .post("/api/v1/session/confirmation")
        .then()
        .statusCode(403)
        .body("type", endsWith("session-needed"));
  }

  /** Every call of the document with a token of each scope. */
  @Test
  void aTokenMayDoWhatItsScopeSays() throws Exception {
    Set<String> looking =
        Set.of(
            "POST /api/v1/keys/compare",
            "POST /api/v1/intake/look",
            "POST /api/v1/rulebook/preview",
            "POST /api/v1/sheets/check",
            "POST /api/v1/findings/preview",
            "POST /api/v1/session",
            "POST /api/v1/users/join");
    Set<String> refusedToRead = new TreeSet<>();
    Set<String> refusedToOperate = new TreeSet<>();
    List<String> all = new ArrayList<>();
    String reader = token("read");
    String operator = token("operate");
    for (Contract.Call call : Contract.calls()) {
      boolean streams = call.path().endsWith("/events");
      boolean ends = call.toString().equals("DELETE /api/v1/session");
      if (streams || ends) {
        continue;
      }
      all.add(call.toString());
      if (isRefused(reader, call)) {
        refusedToRead.add(call.toString());
      }
      if (!call.method().equals("GET") && isRefused(operator, call)) {
        refusedToOperate.add(call.toString());
      }
    }
    Set<String> changing = new TreeSet<>(all);
    changing.removeIf(call -> call.startsWith("GET") || looking.contains(call));
    assertThat(all).hasSizeGreaterThan(100);
    assertThat(refusedToRead).isEqualTo(changing).hasSizeGreaterThan(50);
    assertThat(refusedToOperate)
        .isSubsetOf(changing)
        .contains(
            "POST /api/v1/destinations",
            "PATCH /api/v1/destinations/{id}",
            "PUT /api/v1/rulebook",
            "POST /api/v1/freezes",
            "POST /api/v1/users",
            "POST /api/v1/trust-anchors",
            "POST /api/v1/host-commands",
            "DELETE /api/v1/host-commands/{id}")
        .doesNotContain("POST /api/v1/placements", "POST /api/v1/rotations/{id}/run");
  }

  private static String token(String scope) {
    return Caller.session()
        .body(Map.of("name", scope, "life", "P1D", "scope", scope))
        .post("/api/v1/tokens")
        .path("token");
  }

  private static boolean isRefused(String token, Contract.Call call) {
    var answer = call.sent(given().auth().oauth2(token));
    return answer.statusCode() == 403 && answer.asString().contains("scope-too-small");
  }

  @Test
  void tokensTellWhoseTheyAreAndWhenTheyWereUsed() {
    String token = token("read");
    String used = "items.findAll { it.lastUsedAt != null && it.name == 'read' }.size()";
    int before = Caller.api().get("/api/v1/tokens").path(used);
    given().auth().oauth2(token).get("/api/v1/keys").then().statusCode(200);
    Caller.api()
        .get("/api/v1/tokens")
        .then()
        .body(used, equalTo(before + 1))
        .body("items.login", hasItem("admin"))
        .body("items.token", not(hasItem(notNullValue())));
  }

  @Test
  void whatIsChangedIsInTheJournalWithBeforeAndAfter() {
    String reload = "true # " + UUID.randomUUID();
    String at =
        SweepTest.attach(
            Map.of("family", "sftp-server", "port", 1, "hostKeys", List.of(Caller.line())));
    String destination = "/api/v1/destinations/" + at;
    Map<String, Object> change = Map.of("reloadCommand", reload, "configPath", "/etc/ssh/x");
    String version = Caller.api().get(destination).header("ETag");
    Caller.api()
        .header("If-Match", version)
        .body(change)
        .patch(destination)
        .then()
        .statusCode(409)
        .body("type", endsWith("command-not-approved"));
    Caller.approve(reload);
    Caller.api().header("If-Match", version).body(change).patch(destination).then().statusCode(200);
    Caller.api()
        .get("/api/v1/journal?action=destination.changed&subject=" + at)
        .then()
        .body(
            "items[0].data",
            equalTo(
                "{\"config-path\":{\"before\":\"\",\"after\":\"/etc/ssh/x\"},"
                    + "\"reload-command\":{\"before\":\"\",\"after\":\""
                    + reload
                    + "\"}}"));
  }
}
