package tolvin.service;

import static io.restassured.RestAssured.given;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static tolvin.service.Caller.api;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.common.http.TestHTTPResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.http.ContentType;
import io.restassured.response.ValidatableResponse;
import jakarta.inject.Inject;
import jakarta.persistence.EntityManager;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.Socket;
import java.net.URL;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.junit.jupiter.api.Test;
import tolvin.service.journal.Sealer;
import tolvin.standins.local.Ports;

/** Attacks from outside, made for real; docs/security.md lists them. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class AttacksTest {
  private static final int MIB = 1024 * 1024;

  @TestHTTPResource URL service;
  @Inject EntityManager database;
  @Inject Sealer sealer;

  // ---- stopping the service without an account

  @Test
  void bodiesThatTrickleInHoldNobodyUp() throws Exception {
    List<Socket> slow = new ArrayList<>();
    try {
      for (int i = 0; i < 260; i++) {
        Socket socket = new Socket(service.getHost(), service.getPort());
        slow.add(socket);
        send(socket, "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Length: 60000\r\n\r\n{");
        if (i % 20 == 0) {
          api().get("/api/v1/keys?limit=1").then().statusCode(200);
          given().get("/q/health/live").then().statusCode(200);
        }
      }
      api().get("/api/v1/keys?limit=1").then().statusCode(200);
      Ports.await(
          "every one of them is ended",
          Duration.ofSeconds(60),
          () -> slow.stream().allMatch(AttacksTest::isEnded));
    } finally {
      for (Socket socket : slow) {
        socket.close();
      }
    }
  }

  @Test
  void largeBodiesOfNobodyAreNotTakenIn() throws Exception {
    byte[] large = new byte[15 * MIB];
    Arrays.fill(large, (byte) ' ');
    List<Future<Integer>> answers = new ArrayList<>();
    ExecutorService many = Executors.newFixedThreadPool(14);
    try {
      for (int i = 0; i < 14; i++) {
        answers.add(many.submit(() -> statusOf("Content-Length: " + large.length, large)));
      }
      for (Future<Integer> answer : answers) {
        assertThat(answer.get()).isIn(413, 503);
      }
    } finally {
      many.shutdownNow();
    }
    byte[] chunk = new byte[70 * 1024];
    Arrays.fill(chunk, (byte) ' ');
    byte[] chunked =
        (Integer.toHexString(chunk.length)
                + "\r\n"
                + new String(chunk, StandardCharsets.US_ASCII)
                + "\r\n0\r\n\r\n")
            .getBytes(StandardCharsets.US_ASCII);
    assertThat(statusOf("Transfer-Encoding: chunked", chunked)).isEqualTo(413);
    given()
        .contentType(ContentType.JSON)
        .body("{\"login\": \"" + "x".repeat(70_000) + "\"}")
        .post("/api/v1/session")
        .then()
        .statusCode(413);
  }

  @Test
  void manySignInsAtOnceBlockNobodyElse() throws Exception {
    ExecutorService many = Executors.newFixedThreadPool(80);
    List<Future<Integer>> answers = new ArrayList<>();
    try {
      for (int i = 0; i < 80; i++) {
        String from = "127.0.1." + (i + 1); // from one address it would be slowed down
        answers.add(many.submit(() -> signInFrom(from, "guess", "x")));
      }
      for (int i = 0; i < 20; i++) {
        api().get("/api/v1/keys?limit=1").then().statusCode(200);
      }
      for (Future<Integer> answer : answers) {
        assertThat(answer.get()).isIn(401, 429, 503);
      }
    } finally {
      many.shutdownNow();
    }
  }

  @Test
  void idleConnectionsToTheSyslogPortAreFew() throws Exception {
    List<Socket> idle = new ArrayList<>();
    try {
      for (int i = 0; i < 60; i++) {
        idle.add(new Socket("127.0.0.1", PostgresForTests.syslog));
      }
      Ports.await(
          "most are refused",
          Duration.ofSeconds(20),
          () -> idle.stream().filter(s -> !isEnded(s)).count() <= 32);
    } finally {
      for (Socket socket : idle) {
        socket.close();
      }
    }
  }

  // ---- rewriting history, with the database's own rights

  @Test
  void aWriterOfTheDatabaseCannotRewriteTheJournal() throws IOException {
    Caller.addIdentity();
    while (sealer.seal() > 0) {
      continue; // until all is sealed
    }
    holds(null);
    for (String table : List.of("journal_entry", "journal_person")) {
      assertThatThrownBy(() -> sql("truncate " + table + " cascade"))
          .hasStackTraceContaining("journal entries are never removed");
    }
    long last = ((Number) one("select max(number) from journal_entry")).longValue();
    sql("alter table journal_entry disable trigger all");
    try {
      sql("create table put_aside as select * from journal_entry where number > " + (last - 2));
      sql("delete from journal_entry where number > " + (last - 2));
      holds("The journal is cut off behind entry " + (last - 2) + ".");
      Caller.addIdentity();
      assertThat(sealer.seal()).as("nothing is sealed behind what was cut off").isZero();
      sql("insert into journal_entry select * from put_aside");
      holds(null);
      sql("update journal_entry set link = sha256(link), signature = null where number = " + last);
      holds("Entry " + last + " is not what was sealed.");
      assertThat(sealer.seal()).as("no signature makes it right").isZero();
      sql(
          "update journal_entry j set link = p.link, signature = p.signature from put_aside p where"
              + " p.id = j.id");
      holds(null);
      sql("update journal_entry set signature = sha256(link) where number = " + last);
      holds("The signature at entry " + last + " is not the journal's key's.");
      sql(
          "update journal_entry j set signature = p.signature from put_aside p where"
              + " p.id = j.id");
    } finally {
      sql("drop table if exists put_aside");
      sql("alter table journal_entry enable trigger all");
    }
    String name = "First administrator (admin)";
    sql("update journal_person set name = 'isla' where name = '" + name + "'");
    assertThat(api().get("/api/v1/journal/check").<String>path("sentence"))
        .contains("is put down to another name");
    assertThat(api().get("/api/v1/journal?limit=50").asString())
        .contains("(name was changed)")
        .doesNotContain("\"who\":\"isla\"");
    sql("update journal_person set name = '" + name + "' where name = 'isla'");
    Ports.await(
        "it is sealed on when all is as it was",
        Duration.ofSeconds(60),
        () -> {
          sealer.seal(); // or the service's own sealer was there first
          return api().get("/api/v1/journal/check").<Integer>path("unsealed") == 0;
        });
    holds(null);
  }

  private static void holds(String wrong) {
    var check = api().get("/api/v1/journal/check").then().statusCode(200).extract();
    assertThat(check.<String>path("sentence")).isEqualTo(wrong);
    assertThat(check.<Boolean>path("holds")).isEqualTo(wrong == null);
  }

  @Test
  void theServicesOwnUserOwnsNothingAndOnlyAddsToTheJournal() throws Exception {
    Caller.addIdentity();
    while (sealer.seal() > 0) {
      continue; // until all is sealed
    }
    long before = ((Number) one("select count(*) from journal_entry")).longValue();
    assertThat(one("select count(*) from pg_class where pg_get_userbyid(relowner) = current_user"))
        .isEqualTo(0L);
    for (String attack :
        List.of(
            "alter table journal_entry disable trigger all",
            "alter table journal_entry owner to current_user",
            "drop trigger journal_append_only on journal_entry",
            "drop table journal_entry cascade",
            "truncate journal_entry",
            "delete from journal_entry",
            "update journal_entry set text = 'nothing happened'",
            "update journal_entry set actor = (select min(ref) from journal_person)",
            "delete from journal_person",
            "update journal_person set salt = sha256(salt)",
            "create or replace function journal_is_append_only() returns trigger language plpgsql"
                + " as 'begin return new; end'",
            "create table public.mine (a int)",
            "create schema mine",
            "set role tolvin_owner",
            "set session_replication_role = replica",
            "alter role current_user superuser",
            "delete from flyway_schema_history",
            "copy (select 1) to program 'true'",
            "select pg_read_file('/etc/passwd')")) {
      assertThatThrownBy(
              () ->
                  QuarkusTransaction.requiringNew()
                      .run(() -> database.createNativeQuery(attack).executeUpdate()),
              attack)
          .rootCause()
          .hasMessageMatching("(?s).*(permission denied|must be|no privileges).*");
    }
    assertThatThrownBy(
            () ->
                QuarkusTransaction.requiringNew()
                    .run(
                        () ->
                            database
                                .createNativeQuery("update journal_entry set signature = null")
                                .executeUpdate()))
        .hasStackTraceContaining("journal entries are never changed");
    QuarkusTransaction.requiringNew()
        .run(
            () ->
                database
                    .createNativeQuery("grant delete on journal_entry to current_user")
                    .executeUpdate()); // PostgreSQL warns only
    assertThat(one("select has_table_privilege('journal_entry', 'delete')")).isEqualTo(false);
    assertThat(((Number) one("select count(*) from journal_entry")).longValue())
        .isGreaterThanOrEqualTo(before);
    holds(null);
  }

  /** With the rights of the database's superuser. */
  private static void sql(String statement) throws IOException {
    PostgresForTests.postgres.execute(statement);
  }

  private Object one(String query) {
    return QuarkusTransaction.requiringNew()
        .call(() -> database.createNativeQuery(query).getSingleResult());
  }

  // ---- secrets that lie about

  @Test
  void nothingOfARequestThatIsRepeatedTellsItsSecrets() throws Exception {
    String identity = Caller.addIdentity();
    String key = "repeat-" + System.nanoTime();
    var first =
        Caller.session()
            .header("Idempotency-Key", key)
            .body(Map.of("name", "nightly", "life", "P1D"))
            .post("/api/v1/tokens")
            .then()
            .statusCode(200)
            .extract();
    Caller.session()
        .header("Idempotency-Key", key)
        .body(Map.of("name", "nightly", "life", "P1D"))
        .post("/api/v1/tokens")
        .then()
        .statusCode(409);
    String kept =
        String.valueOf(
            one(
                "select request || coalesce(response, '') from idempotency where"
                    + " request_key = '"
                    + key
                    + "'"));
    assertThat(kept).doesNotContain(first.<String>path("token"));
    assertThat(identity).isNotNull();
    String other = "repeat-" + System.nanoTime();
    Map<String, String> body = Caller.identity();
    for (int i = 0; i < 2; i++) {
      assertThat(
              api()
                  .header("Idempotency-Key", other)
                  .body(body)
                  .post("/api/v1/identities")
                  .then()
                  .statusCode(200)
                  .extract()
                  .<String>path("name"))
          .isEqualTo(body.get("name"));
    }
    assertThat(one("select count(*) from identity where name = '" + body.get("name") + "'"))
        .isEqualTo(1L);
  }

  // ---- what leaks

  @Test
  void numbersAndInterfacesAreForWhoSignedIn() {
    for (String path : List.of("/q/metrics", "/q/openapi", "/q/openapi?format=json")) {
      given().get(path).then().statusCode(401);
      given().auth().oauth2(Caller.token()).get(path).then().statusCode(200);
    }
  }

  @Test
  void noCacheKeepsAnAnswer() {
    String kept =
        api().get("/api/v1/keys").then().statusCode(200).extract().header("Cache-Control");
    assertThat(kept).isEqualTo("no-store");
    assertThat(given().get("/reply/none").header("Cache-Control")).isEqualTo("no-store");
  }

  @Test
  void aLoginLeadsNowhereElse() {
    String server =
        api()
            .body(
                Map.of(
                    "name", "paths-" + System.nanoTime(),
                    "family", "sftp-server",
                    "host", "127.0.0.1",
                    "keysPath", "/etc/ssh/keys/{login}"))
            .post("/api/v1/destinations")
            .then()
            .statusCode(200)
            .extract()
            .path("id");
    for (String login : List.of(".", "..", "../root", "-l", "a/b", "a\nb")) {
      api()
          .body(Map.of("login", login))
          .post("/api/v1/destinations/" + server + "/accounts")
          .then()
          .statusCode(422);
    }
  }

  // ---- accounts of Tolvin

  @Test
  void nobodyIsLockedOutByOthersAndNamesAreNotTold() throws Exception {
    for (int i = 0; i < 6; i++) {
      for (String login : List.of("admin", "no-such-user")) {
        assertThat(signInFrom("127.0.0.9", login, "wrong"))
            .as("%s, try %s", login, i)
            .isEqualTo(i < 5 ? 401 : 429);
      }
    }
    signIn("admin", "four words of iron").statusCode(200);
  }

  @Test
  void anUnknownCookieKeepsNobodyFromThePagesThatNeedNone() {
    given()
        .cookie("tolvin_session", "made-up")
        .contentType(ContentType.JSON)
        .body(Map.of("login", "admin", "password", "four words of iron"))
        .post("/api/v1/session")
        .then()
        .statusCode(200);
    given().cookie("tolvin_session", "made-up").get("/reply/none").then().statusCode(410);
    given().cookie("tolvin_session", "made-up").get("/api/v1/keys").then().statusCode(401);
  }

  @Test
  void signInsAreInTheJournalWithTheirAddress() throws Exception {
    signIn("admin", "wrong").statusCode(401);
    signIn("no-such-user-but-a-secret", "x").statusCode(401);
    signIn("admin", "four words of iron").statusCode(200);
    String journal = api().get("/api/v1/journal?limit=50").asString();
    assertThat(journal)
        .contains("admin signed in from 127.0.0.1", "Sign-in of admin from 127.0.0.1 refused")
        .contains("Sign-in of an unknown login from 127.0.0.1 refused")
        .doesNotContain("but-a-secret");
  }

  // ----

  private static ValidatableResponse signIn(String login, String password) {
    return given()
        .contentType(ContentType.JSON)
        .body(Map.of("login", login, "password", password))
        .post("/api/v1/session")
        .then();
  }

  /** Signs in from another of this machine's addresses. */
  private int signInFrom(String address, String login, String password) throws IOException {
    String body = "{\"login\": \"" + login + "\", \"password\": \"" + password + "\"}";
    try (Socket socket =
        new Socket(
            InetAddress.getByName(service.getHost()),
            service.getPort(),
            InetAddress.getByName(address),
            0)) {
      send(
          socket,
          "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n"
              + "Content-Length: "
              + body.length()
              + "\r\n\r\n"
              + body);
      return status(socket);
    }
  }

  private int statusOf(String header, byte[] body) throws IOException {
    try (Socket socket = new Socket(service.getHost(), service.getPort())) {
      send(
          socket,
          "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n"
              + header
              + "\r\n\r\n");
      try {
        socket.getOutputStream().write(body);
      } catch (IOException endedAlready) {
        // what was answered before is read below
      }
      return status(socket);
    }
  }

  private static void send(Socket socket, String text) throws IOException {
    OutputStream out = socket.getOutputStream();
    out.write(text.getBytes(StandardCharsets.US_ASCII));
    out.flush();
  }

  private static int status(Socket socket) throws IOException {
    String line =
        new BufferedReader(
                new InputStreamReader(socket.getInputStream(), StandardCharsets.US_ASCII))
            .readLine();
    return line == null ? 503 : Integer.parseInt(line.split(" ")[1]);
  }

  /** Whether the other side has closed it, whatever it said before. */
  private static boolean isEnded(Socket socket) {
    try {
      socket.setSoTimeout(1);
      while (socket.getInputStream().read() >= 0) {
        // what was answered before it was closed
      }
      return true;
    } catch (java.net.SocketTimeoutException open) {
      return false;
    } catch (IOException closed) {
      return true;
    }
  }
}
