package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.everyItem;
import static org.hamcrest.Matchers.hasSize;
import static org.hamcrest.Matchers.nullValue;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.restassured.path.json.JsonPath;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** Many keys placed with one decision, on real servers. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class RegistrationTest {
  private static final int SERVERS = 3;
  private static final int ON_EACH = 8;
  private static final Duration PATIENCE = Duration.ofSeconds(60);
  private static final List<LocalSshServer> servers = new ArrayList<>();

  @BeforeAll
  static void start(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    for (int i = 0; i < SERVERS; i++) {
      servers.add(
          LocalSshServer.at(directory.resolve("server" + i), Ports.free())
              .account("keeper")
              .start());
    }
  }

  @AfterAll
  static void stop() {
    servers.forEach(LocalSshServer::close);
  }

  private static String content(LocalSshServer server, String login) {
    try {
      Path file = server.authorizedKeys(login);
      return Files.exists(file) ? Files.readString(file) : "";
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static String attached(LocalSshServer server) throws Exception {
    return SweepTest.attachServer(server, Map.of("name", "yard-" + UUID.randomUUID()));
  }

  private static String name(String destination) {
    return api().get("/api/v1/destinations/" + destination).path("name");
  }

  /** So many accounts on each server, by LOGIN@DESTINATION. */
  private static Map<String, LocalSshServer> accounts(String prefix, int each) throws Exception {
    Map<String, LocalSshServer> accounts = new LinkedHashMap<>();
    for (LocalSshServer server : servers) {
      String at = attached(server);
      for (int i = 0; i < each; i++) {
        String login = prefix + i;
        server.account(login);
        SweepTest.account(at, login, Map.of());
        accounts.put(login + "@" + name(at), server);
      }
    }
    return accounts;
  }

  private static JsonPath ended(String id) {
    Ports.await(
        "the registration is over",
        PATIENCE,
        () ->
            List.of("done", "stopped", "cancelled")
                .contains(api().get("/api/v1/registrations/" + id).<String>path("state")));
    return api().get("/api/v1/registrations/" + id).jsonPath();
  }

  private static String begin(Map<String, Object> request) {
    Map<String, Object> whole = new HashMap<>(request);
    whole.putIfAbsent("reason", "for the test");
    return api()
        .body(whole)
        .post("/api/v1/registrations")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  private static JsonPath lines(String id, String state) {
    return api().get("/api/v1/registrations/" + id + "/lines?state=" + state).jsonPath();
  }

  @Test
  void aKeyIsPlacedOnManyAccountsOnceAndAsRehearsed() throws Exception {
    String word = "bulk" + UUID.randomUUID().toString().substring(0, 6);
    Map<String, LocalSshServer> accounts = accounts(word + "-", ON_EACH);
    String key = Caller.madeKey();
    Map<String, Object> request =
        Map.of(
            "keys", Map.of("named", List.of(key)),
            "accounts", Map.of("search", word),
            "terms", Map.of("title", "night job", "sources", List.of("127.0.0.0/8")),
            "reason", "forty accounts",
            "ticket", "T-17");
    JsonPath rehearsed =
        api()
            .body(request)
            .post("/api/v1/registrations/rehearsal")
            .then()
            .statusCode(200)
            .body("state", everyItem(equalTo("waiting")))
            .body("$", hasSize(SERVERS * ON_EACH))
            .extract()
            .jsonPath();
    accounts.forEach((name, server) -> assertThat(content(server, login(name))).isEmpty());
    assertThat(api().get("/api/v1/placements?key=" + key).jsonPath().getList("items")).isEmpty();
    assertThat(api().get("/api/v1/journal?limit=20").jsonPath().getList("items.action"))
        .doesNotContain("placement.wanted");

    String id = begin(request);
    JsonPath ended = ended(id);
    assertThat(ended.getString("state")).isEqualTo("done");
    assertThat(ended.getInt("done")).isEqualTo(SERVERS * ON_EACH);
    assertThat(lines(id, "done").getList("items.placement")).containsOnly("proven");
    Map<String, String> promised = new HashMap<>();
    for (int i = 0; i < SERVERS * ON_EACH; i++) {
      promised.put(
          rehearsed.getString("[" + i + "].account"),
          rehearsed.getString("[" + i + "].change.added[0]"));
    }
    assertThat(promised).hasSize(accounts.size());
    accounts.forEach(
        (name, server) ->
            assertThat(withoutMark(content(server, login(name)).strip()))
                .startsWith("from=\"127.0.0.0/8\" ssh-")
                .isEqualTo(withoutMark(promised.get(name))));
    assertThat(
            api().get("/api/v1/journal?limit=200").jsonPath().getList("items.data", String.class))
        .filteredOn(data -> data.contains("\"registration\":\"" + id))
        .hasSize(SERVERS * ON_EACH)
        .allMatch(data -> data.contains("\"ticket\":\"T-17\""));

    JsonPath again = ended(begin(request));
    assertThat(again.getInt("thereAlready")).isEqualTo(SERVERS * ON_EACH);
    assertThat(api().get("/api/v1/placements?key=" + key).jsonPath().getList("items"))
        .hasSize(SERVERS * ON_EACH);
  }

  private static String login(String account) {
    return account.substring(0, account.lastIndexOf('@'));
  }

  private static String withoutMark(String line) {
    assertThat(line).matches("(?s).* tolvin:[a-z2-7]{16}");
    return line.substring(0, line.lastIndexOf(' '));
  }

  @Test
  void whatIsRefusedIsSaidLineByLineAndTheOthersGoOn() throws Exception {
    LocalSshServer server = servers.get(0);
    String at = attached(server);
    server.account("good");
    server.account("full");
    server.account("elsewhere");
    SweepTest.account(at, "good", Map.of());
    SweepTest.account(at, "full", Map.of("holds", 1));
    SweepTest.account(
        at, "elsewhere", Map.of("managedBy", "another-source", "otherSource", "yard scripts"));
    Caller.place(
        Map.of(
            "keyId", Caller.madeKey(),
            "accountId", accountId(at, "full"),
            "title", "the one"),
        "proven");
    String key = Caller.madeKey();
    List<Map<String, Object>> lines =
        List.of("full", "elsewhere", "good").stream()
            .map(login -> Map.<String, Object>of("key", key, "account", login + "@" + name(at)))
            .toList();
    api()
        .body(Map.of("lines", lines, "reason", "r"))
        .post("/api/v1/registrations/rehearsal")
        .then()
        .body("state", equalTo(List.of("refused", "refused", "waiting")))
        .body("[0].reason", containsString("holds 1 keys and all places are taken"))
        .body("[2].change.added[0]", containsString("ssh-ed25519"));
    String id = begin(Map.of("lines", lines));
    JsonPath ended = ended(id);
    assertThat(ended.getInt("done")).isEqualTo(1);
    assertThat(ended.getInt("refused")).isEqualTo(2);
    assertThat(lines(id, "refused").getList("items.reason", String.class))
        .satisfiesExactly(
            full -> assertThat(full).contains("all places are taken", "Withdraw a key"),
            kept -> assertThat(kept).contains("yard scripts", "through that source"));
  }

  private static String accountId(String destination, String login) {
    return api()
        .get("/api/v1/accounts?destination=" + destination + "&search=" + login)
        .path("items[0].id");
  }

  @Test
  void aTestThatFailsStopsTheOthersUntilAPersonSaysSo() throws Exception {
    LocalSshServer server = servers.get(1);
    String at = attached(server);
    for (String login : List.of("first", "second", "third")) {
      server.account(login);
      SweepTest.account(at, login, Map.of());
    }
    String key = Caller.madeKey();
    List<Map<String, Object>> lines =
        List.of("first", "second", "third").stream()
            .map(
                login ->
                    Map.<String, Object>of(
                        "key",
                        key,
                        "account",
                        login + "@" + name(at),
                        // nobody signs in from there, so that the first trial fails
                        "terms",
                        login.equals("first")
                            ? Map.of("sources", List.of("203.0.113.9"))
                            : Map.of()))
            .toList();
    String id = begin(Map.of("lines", lines));
    JsonPath stopped = ended(id);
    assertThat(stopped.getString("state")).isEqualTo("stopped");
    assertThat(stopped.getInt("failed")).isEqualTo(1);
    assertThat(stopped.getInt("waiting")).isEqualTo(2);
    assertThat(lines(id, "failed").getString("items[0].reason"))
        .contains("placed, but its sign-in failed");
    assertThat(content(server, "second")).isEmpty();
    api()
        .body(Map.of("reason", "its client comes from elsewhere"))
        .post("/api/v1/registrations/" + id + "/go-on")
        .then()
        .statusCode(200);
    JsonPath ended = ended(id);
    assertThat(ended.getString("state")).isEqualTo("done");
    assertThat(ended.getInt("done")).isEqualTo(2);

    String other = begin(Map.of("lines", retitled(lines), "testFirst", true));
    ended(other);
    api()
        .body(Map.of("reason", "r"))
        .post("/api/v1/registrations/" + other + "/cancel")
        .then()
        .statusCode(409); // it is over: each line was there, with another title
    assertThat(lines(other, "refused").getList("items.reason", String.class))
        .hasSize(3)
        .allMatch(reason -> reason.contains("with another title"));
  }

  private static List<Map<String, Object>> retitled(List<Map<String, Object>> lines) {
    return lines.stream()
        .map(
            line -> {
              Map<String, Object> other = new HashMap<>(line);
              other.put("terms", Map.of("title", "another"));
              return other;
            })
        .toList();
  }

  @Test
  void cancelledBeforeItsTurnNothingIsBegun() throws Exception {
    LocalSshServer server = servers.get(2);
    String at = attached(server);
    for (String login : List.of("early", "late")) {
      server.account(login);
      SweepTest.account(at, login, Map.of());
    }
    String key = Caller.madeKey();
    String id =
        begin(
            Map.of(
                "lines",
                List.of(
                    Map.of(
                        "key",
                        key,
                        "account",
                        "early@" + name(at),
                        "terms",
                        Map.of("sources", List.of("203.0.113.9"))),
                    Map.of("key", key, "account", "late@" + name(at)))));
    assertThat(ended(id).getString("state")).isEqualTo("stopped");
    api()
        .body(Map.of("reason", "not today"))
        .post("/api/v1/registrations/" + id + "/cancel")
        .then()
        .statusCode(200)
        .body("state", equalTo("cancelled"))
        .body("cancelled", equalTo(1));
    assertThat(content(server, "late")).isEmpty();
  }

  @Test
  void wrongNamesAreToldAllAtOnceAndNothingIsBegun() {
    String identity = Caller.addIdentity();
    for (int i = 0; i < 2; i++) {
      api().body(Map.of("identityId", identity)).post("/api/v1/made-keys").then().statusCode(200);
    }
    String owner = api().get("/api/v1/identities/" + identity).path("name");
    api()
        .body(
            Map.of(
                "lines",
                List.of(
                    Map.of("key", owner, "account", "crane@nowhere.example"),
                    Map.of("key", "SHA256:none", "account", "no-at-sign")),
                "reason",
                "r"))
        .post("/api/v1/registrations")
        .then()
        .statusCode(422)
        .body("detail", containsString("Line 1: " + owner + " has 2 keys: SHA256:"))
        .body("detail", containsString("Line 1: there is no account “crane@nowhere.example”"))
        .body("detail", containsString("Line 2: there is no key “SHA256:none”"))
        .body("remedy", containsString("Nothing was begun"));
    for (Map<String, Object> empty :
        List.<Map<String, Object>>of(
            Map.of("reason", "r"),
            Map.of("keys", Map.of("team", "no such team"), "reason", "r"),
            Map.of("lines", List.of(), "atOnce", 0, "reason", "r"),
            Map.of("lines", Collections.singletonList(null), "reason", "r"))) {
      api()
          .body(empty)
          .post("/api/v1/registrations")
          .then()
          .statusCode(422)
          .body("id", nullValue());
    }
  }
}
