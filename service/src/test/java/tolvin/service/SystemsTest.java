package tolvin.service;

import static io.restassured.RestAssured.given;
import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.allOf;
import static org.hamcrest.Matchers.contains;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static org.hamcrest.Matchers.hasItems;
import static org.hamcrest.Matchers.not;
import static org.hamcrest.Matchers.notNullValue;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.response.ValidatableResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.holder.OwnClient;
import tolvin.core.give.KnownHost;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.word.Words;
import tolvin.standins.build.BuildSystem;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.warehouse.Warehouse;

/** Code host, warehouse and build system, attached by their sheets and used through the API. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class SystemsTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String SECRET = "canary-connection-secret-4711";
  private static CodeHost code;
  private static BuildSystem build;
  private static LocalSshServer apps;

  @BeforeAll
  static void start(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    code = CodeHost.start(directory.resolve("code"), 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET);
    code.person("isla")
        .person("tests")
        .repository("boats/timetable")
        .repository("boats/fuel")
        .repository("boats/tests");
    build = BuildSystem.start(directory.resolve("build"), 0, BuildSystem.Shape.PLAIN, SECRET);
    build.job(
        "nightly",
        new BuildSystem.Job(
            "fetch",
            "ssh://git@127.0.0.1:" + code.ssh().port() + "/boats/timetable.git",
            List.of(
                KnownHost.line(List.of("127.0.0.1"), code.ssh().port(), code.ssh().hostKey()))));
    apps = LocalSshServer.at(directory.resolve("apps"), Ports.free()).account("boats").start();
  }

  @AfterAll
  static void stop() {
    build.close();
    code.close();
    apps.close();
  }

  private static String sheet(String name) throws Exception {
    String text = Files.readString(Path.of(System.getProperty("tolvin.root"), "sheets", name));
    return api()
        .body(Map.of("text", text, "reason", "first use"))
        .post("/api/v1/sheets")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static String attach(String sheet, Map<String, Object> more) {
    Map<String, Object> request = new HashMap<>(more);
    request.put("sheetId", sheet);
    request.put("name", "system-" + UUID.randomUUID());
    request.put("secret", SECRET);
    return api()
        .body(request)
        .post("/api/v1/destinations")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static String attachCodeHost() throws Exception {
    return attach(
        sheet("pierhead.yaml"),
        Map.of(
            "address", code.url(),
            "settings", Map.of("git-door", "127.0.0.1:" + code.ssh().port()),
            "hostKeys", List.of(code.ssh().hostKey().line())));
  }

  private static String account(String destination, String login, String kind) {
    return api()
        .body(Map.of("login", login, "kind", kind))
        .post("/api/v1/destinations/" + destination + "/accounts")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static ValidatableResponse tried(String destination, Map<String, String> what) {
    return api().body(what).post("/api/v1/destinations/" + destination + "/tests").then();
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

  private static String place(String key, String account, String access) {
    return api()
        .body(Map.of("keyId", key, "accountId", account, "title", "boats", "access", access))
        .post("/api/v1/placements")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static void await(String what, java.util.function.BooleanSupplier condition)
      throws Exception {
    Ports.await(what, Duration.ofSeconds(60), condition::getAsBoolean);
  }

  private static void awaitState(String placement, String state) throws Exception {
    await(
        "the placement is " + state,
        () -> state.equals(api().get("/api/v1/placements/" + placement).path("state")));
  }

  @Test
  void aSheetWithFlawsIsRefusedWithEveryLine() {
    String text = "sheet: 1\nsystem: X\nfamily: castle\nspeaks: http\naccounts: {}\nodd: 1\n";
    api()
        .body(Map.of("text", text))
        .post("/api/v1/sheets/check")
        .then()
        .statusCode(200)
        .body("flaws.line", hasItems(3, 6));
    api()
        .body(Map.of("text", text, "reason", "x"))
        .post("/api/v1/sheets")
        .then()
        .statusCode(422)
        .body("detail", containsString("Line 3:"));
  }

  @Test
  void aKeyIsPlacedOnlyAfterATryAndOnWhatTheSystemCanDo() throws Exception {
    String host = attachCodeHost();
    String repository = account(host, "boats/fuel", "repository");
    account(host, "boats/tests", "repository");
    String key = made();
    Map<String, Object> request =
        Map.of("keyId", key, "accountId", repository, "title", "boats", "access", "read");
    api()
        .body(request)
        .post("/api/v1/placements")
        .then()
        .statusCode(409)
        .body("type", equalTo("urn:tolvin:problem:not-tried"));
    tried(host, Map.of("account", "boats/tests"))
        .statusCode(200)
        .body("good", equalTo(true))
        .body("steps.step", contains("read", "place", "withdraw"));
    assertThat(code.lines("repository:boats/tests")).isEmpty();
    for (Map<String, Object> impossible :
        List.<Map<String, Object>>of(
            Map.of("purpose", "signing"), Map.of("sources", List.of("10.0.0.1")))) {
      Map<String, Object> more = new HashMap<>(request);
      more.putAll(impossible);
      api()
          .body(more)
          .post("/api/v1/placements")
          .then()
          .statusCode(422)
          .body("type", equalTo("urn:tolvin:problem:not-possible-there"));
    }
    String placement = place(key, repository, "read");
    awaitState(placement, "placed");
    api()
        .get("/api/v1/placements/" + placement)
        .then()
        .body("reference", not(equalTo("")))
        .body("access", equalTo("read"));
    api()
        .body(Map.of("keyId", key))
        .post("/api/v1/accounts/" + repository + "/trials")
        .then()
        .statusCode(200)
        .body("way", equalTo("git"))
        .body("accepted", equalTo(true));
    api()
        .body(Map.of("reason", "test"))
        .post("/api/v1/placements/" + placement + "/withdraw")
        .then()
        .statusCode(200);
    awaitState(placement, "withdrawn");
    assertThat(code.lines("repository:boats/fuel")).isEmpty();
  }

  /** The whole way: a service account's key on the code host, rotated through the build system. */
  @Test
  void aRotationGoesThroughCodeHostAndBuildSystem() throws Exception {
    String host = attachCodeHost();
    String system = attach(sheet("slipway.yaml"), Map.of("address", build.url()));
    String repository = account(host, "boats/timetable", "repository");
    account(host, "tests", "person");
    tried(host, Map.of("account", "tests")).body("good", equalTo(true));
    SecretPair old = KeyPairMaker.ed25519(RANDOM);
    build.put("fetch", new String(OpenSshFile.write(old, "fetch", RANDOM)));
    tried(system, Map.of("seat", "fetch"))
        .body("good", equalTo(true))
        .body("steps[0].said", containsString(old.key().fingerprintText()));
    String integration =
        api()
            .body(
                Map.of(
                    "name", "Nightly build " + UUID.randomUUID(),
                    "owner", "Shore systems",
                    "environment", "production"))
            .post("/api/v1/integrations")
            .path("id");
    String seat =
        api()
            .body(Map.of("hostId", system, "path", "fetch", "job", "nightly"))
            .post("/api/v1/integrations/" + integration + "/seats")
            .then()
            .statusCode(200)
            .extract()
            .path("id");
    api()
        .body(Map.of("accountId", repository, "expectedInterval", "PT1S"))
        .post("/api/v1/seats/" + seat + "/ties")
        .then()
        .statusCode(200);
    String oldKey =
        api()
            .body(
                Map.of(
                    "text", old.key().line(),
                    "identityId", Caller.addIdentity(),
                    "custody", "elsewhere"))
            .post("/api/v1/keys")
            .path("id");
    awaitState(place(oldKey, repository, "read"), "placed");
    await(
        "the seat was read",
        () ->
            api()
                .get("/api/v1/seats")
                .jsonPath()
                .getList("items.findAll{it.id=='" + seat + "'}.offers")
                .toString()
                .contains(old.key().fingerprintText()));

    String rotation =
        api()
            .body(Map.of("keyId", oldKey, "reason", "test", "watch", "PT1S"))
            .post("/api/v1/rotations")
            .then()
            .statusCode(200)
            .extract()
            .path("rotation.id");
    await(
        "it is planned",
        () -> api().get("/api/v1/rotations/" + rotation).path("rotation.stage") != null);
    run(rotation);
    await(
        "it asks before there is no way back",
        () -> "no-way-back".equals(question(rotation).get("kind")));
    answer(rotation);
    await(
        "it is done",
        () -> {
          Map<String, Object> asked = question(rotation);
          if (!asked.isEmpty()) {
            answer(rotation);
          }
          return "done".equals(api().get("/api/v1/rotations/" + rotation).path("rotation.outcome"));
        });
    List<String> there = code.lines("repository:boats/timetable");
    assertThat(there).hasSize(1).doesNotContain(old.key().line());
    api()
        .get("/api/v1/journal?limit=500")
        .then()
        .body("items.action", hasItems("seat.supplied", "seat.proof", "placement.withdrawn"));
  }

  private static void run(String rotation) {
    api().body(Map.of()).post("/api/v1/rotations/" + rotation + "/run").then().statusCode(200);
  }

  private static Map<String, Object> question(String rotation) {
    Map<String, Object> question =
        api().get("/api/v1/rotations/" + rotation).path("rotation.question");
    return question == null ? Map.of() : question;
  }

  private static void answer(String rotation) {
    api()
        .body(Map.of("question", question(rotation), "reason", "test"))
        .post("/api/v1/rotations/" + rotation + "/accept")
        .then()
        .statusCode(200);
  }

  /** Signs in with this machine's own client, and reports what it saw. */
  private static ValidatableResponse here(
      String account, Map<String, Object> asked, String user, SecretPair pair, Path directory)
      throws Exception {
    var begun =
        api()
            .body(asked)
            .post("/api/v1/accounts/" + account + "/trials/here")
            .then()
            .statusCode(200)
            .body("login", equalTo("git"))
            .body("port", equalTo(code.ssh().port()))
            .extract();
    Path known = directory.resolve("known");
    Files.write(known, begun.<List<String>>path("knownHosts"));
    Path file = directory.resolve("id");
    Files.write(file, OpenSshFile.write(pair, "", RANDOM));
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
    List<String> arguments =
        List.of(
            "-F",
            "none",
            "-o",
            "UserKnownHostsFile=" + known,
            "-o",
            "IdentitiesOnly=yes",
            "-i",
            file.toString(),
            "-p",
            begun.path("port").toString(),
            user + "@127.0.0.1");
    OwnClient.Tried tried =
        new OwnClient(arguments, Map.of("SSH_AUTH_SOCK", ""), Duration.ofMinutes(2)).tryOut();
    return api()
        .body(
            Map.of(
                "outcome",
                Words.of(tried.outcome()),
                "answer",
                tried.answer(),
                "lines",
                tried.seen().lines(),
                "algorithms",
                tried.seen().algorithms()))
        .post("/api/v1/trials/" + begun.path("id") + "/seen")
        .then()
        .statusCode(200);
  }

  @Test
  void aSignInToTheCodeHostIsExpectedWhereItLeads(@TempDir Path directory) throws Exception {
    code.person("tormod");
    String account = account(attachCodeHost(), "tormod", "person");
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    String key =
        api()
            .body(Map.of("text", pair.key().line("boats"), "identityId", Caller.addIdentity()))
            .post("/api/v1/keys")
            .then()
            .statusCode(200)
            .extract()
            .path("id");

    here(account, Map.of("keyId", key), "git", pair, directory)
        .body("accepted", equalTo(false))
        .body("causes[0].kind", equalTo("not-registered"))
        .body("causes[0].certainty", equalTo("certain"));
    here(account, Map.of(), "git", pair, directory)
        .body("fingerprint", equalTo(pair.key().fingerprint().value())) // the only one offered
        .body("causes[0].kind", equalTo("not-registered"));
    code.outside("person:tormod", "boats", pair.key().line());
    here(account, Map.of("keyId", key), "tormod", pair, directory)
        .body("causes[0].kind", equalTo("wrong-login"));
    here(account, Map.of(), "git", pair, directory).body("accepted", equalTo(true));
    here(account, Map.of(), "git", KeyPairMaker.ed25519(RANDOM), directory)
        .body("causes[0].kind", equalTo("not-registered"))
        .body("causes[0].evidence[0]", containsString(pair.key().fingerprint().value()));
  }

  @Test
  void theWarehousesSentenceIsExplained() throws Exception {
    try (Warehouse warehouse =
        Warehouse.start(
            PostgresForTests.postgres, 0, Warehouse.Shape.TABLE, SECRET, Clock.systemUTC())) {
      warehouse.account("loader", "either");
      String lake =
          attach(
              sheet("lazarette.yaml"),
              Map.of(
                  "address", warehouse.jdbcUrl(),
                  "user", Warehouse.KEEPER,
                  "settings", Map.of("token-endpoint", warehouse.door().url())));
      String loader = account(lake, "loader", "login");
      tried(lake, Map.of("account", "loader")).body("good", equalTo(true));
      String key = made();
      api()
          .body(Map.of("keyId", key))
          .post("/api/v1/accounts/" + loader + "/trials")
          .then()
          .body("answer", containsString("Invalid token."))
          .body("causes[0].kind", equalTo("not-registered"));
      awaitState(place(key, loader, "write"), "placed");
      api()
          .body(Map.of("keyId", key))
          .post("/api/v1/accounts/" + loader + "/trials")
          .then()
          .body("way", equalTo("assertion"))
          .body("accepted", equalTo(true));
      warehouse.change("update warehouse.login set mode = 'password'");
      api()
          .body(Map.of("keyId", key))
          .post("/api/v1/accounts/" + loader + "/trials")
          .then()
          .body("causes[0].kind", equalTo("password-in-force"))
          .body("unknowns", hasItem(containsString("says nothing")));
      api().body(Map.of()).post("/api/v1/destinations/" + lake + "/looks").then().statusCode(200);
      api()
          .get("/api/v1/destinations/" + lake)
          .then()
          .body("health.reachable", equalTo(true))
          .body("health.secretGood", equalTo(true))
          .body("health.clockAheadSeconds", notNullValue());
      warehouse.change("alter role key_keeper password 'changed behind our back'");
      api().body(Map.of()).post("/api/v1/destinations/" + lake + "/looks").then().statusCode(200);
      api()
          .get("/api/v1/destinations/" + lake)
          .then()
          .body("health.secretGood", equalTo(false))
          .body("health.failure", containsString("password"));
      api()
          .get("/api/v1/today")
          .then()
          .body("needs.title", hasItem(containsString("is in trouble")));
      api()
          .body(
              Map.of("secret", SECRET, "secretEndsAt", Instant.now().plusSeconds(86400).toString()))
          .header("If-Match", api().get("/api/v1/destinations/" + lake).header("ETag"))
          .patch("/api/v1/destinations/" + lake)
          .then()
          .statusCode(200);
      warehouse.change("alter role key_keeper password '" + SECRET + "'");
      api().body(Map.of()).post("/api/v1/destinations/" + lake + "/looks").then().statusCode(200);
      api().get("/api/v1/today").then().body("needs.title", hasItem(containsString("ends soon")));
      assertThat(PostgresForTests.postgres.dump()).doesNotContain(SECRET);
      assertThat(Files.readString(Path.of("target/quarkus.log"))).doesNotContain(SECRET);
    }
  }

  /** Host keys are learned by looking, trusted by comparing, changed by announcing. */
  @Test
  void hostKeysAreComparedAnnouncedAndSuppliedToClients(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalSshServer sftp =
        LocalSshServer.at(directory.resolve("sftp"), Ports.free()).account("boats").start()) {
      String id =
          api()
              .body(
                  Map.of(
                      "name",
                      "sftp-" + UUID.randomUUID(),
                      "family",
                      "sftp-server",
                      "host",
                      "127.0.0.1",
                      "port",
                      sftp.port()))
              .post("/api/v1/destinations")
              .then()
              .statusCode(200)
              .body("stoppedBecause", containsString("not compared"))
              .extract()
              .path("id");
      PublicKey shown = sftp.hostKey();
      api()
          .body(Map.of())
          .post("/api/v1/destinations/" + id + "/looks")
          .then()
          .body("items.fingerprint", contains(shown.fingerprintText()))
          .body("items.state", contains("seen"));
      String wrong = KeyPairMaker.ed25519(RANDOM).key().fingerprintText();
      confirm(id, wrong).statusCode(409).body("detail", containsString("none of the host keys"));
      confirm(id, shown.fingerprintText()).statusCode(200).body("items.state", contains("trusted"));
      api().get("/api/v1/destinations/" + id).then().body("stoppedBecause", equalTo(null));

      String host =
          api()
              .body(
                  Map.of(
                      "name",
                      "apps-" + UUID.randomUUID(),
                      "family",
                      "sftp-server",
                      "host",
                      "127.0.0.1",
                      "port",
                      apps.port(),
                      "hostKeys",
                      List.of(apps.hostKey().line())))
              .post("/api/v1/destinations")
              .path("id");
      apps.authorize("boats", api().get("/api/v1/destinations/" + host).path("tolvinKey"));
      Path known = apps.home("boats").resolve(".ssh/known_hosts");
      Files.writeString(known, "# kept by hand\nother.example ssh-ed25519 AAAA");
      tolvin.standins.local.Unprivileged.own(apps.home("boats"));
      tieTo(id, host);
      SecretPair next = KeyPairMaker.ed25519(RANDOM);
      api()
          .body(
              Map.of(
                  "hostKeys", List.of(next.key().line()),
                  "oldUntil", Instant.now().plusSeconds(3).toString(),
                  "reason", "new hardware"))
          .post("/api/v1/destinations/" + id + "/host-keys/announce")
          .then()
          .statusCode(200)
          .body("items.state", hasItems("announced", "ending"));
      await(
          "the client knows the new host key",
          () ->
              text(known).contains(next.key().line())
                  && text(known).startsWith("# kept by hand\n"));
      assertThat(text(known)).contains("other.example ssh-ed25519 AAAA\n");
      await(
          "the old one is over",
          () ->
              !api()
                  .get("/api/v1/destinations/" + id + "/host-keys")
                  .jsonPath()
                  .getList("items.findAll{it.state!='seen'}.fingerprint")
                  .contains(shown.fingerprintText()));
      api().body(Map.of()).post("/api/v1/destinations/" + id + "/looks").then().statusCode(200);
      api()
          .get("/api/v1/destinations/" + id)
          .then()
          .body(
              "stoppedBecause",
              allOf(
                  containsString(shown.fingerprintText()),
                  containsString("Ask its administrator, and only then: tolvin destination")));
    }
  }

  private static ValidatableResponse confirm(String id, String fingerprint) {
    return Caller.session()
        .body(Map.of("fingerprints", List.of(fingerprint), "reason", "read out over the phone"))
        .post("/api/v1/destinations/" + id + "/host-keys/confirm")
        .then();
  }

  private static void tieTo(String destination, String host) {
    String account = account(destination, "boats", "");
    String integration =
        api()
            .body(
                Map.of(
                    "name", "Upload " + UUID.randomUUID(),
                    "owner", "Shore systems",
                    "environment", "production"))
            .post("/api/v1/integrations")
            .path("id");
    String seat =
        api()
            .body(
                Map.of(
                    "hostId", host,
                    "login", "boats",
                    "path", "/nowhere/id",
                    "address", "127.0.0.1"))
            .post("/api/v1/integrations/" + integration + "/seats")
            .path("id");
    api()
        .body(Map.of("accountId", account, "expectedInterval", "PT1S"))
        .post("/api/v1/seats/" + seat + "/ties")
        .then()
        .statusCode(200);
  }

  private static String text(Path file) {
    try {
      return Files.readString(file);
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  @Test
  void nobodyElseMayAttachOrTry() {
    given()
        .contentType("application/json")
        .body(Map.of())
        .post("/api/v1/destinations/" + UUID.randomUUID() + "/tests")
        .then()
        .statusCode(401);
  }
}
