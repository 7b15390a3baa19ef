package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
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
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.standins.local.LocalDirectory;
import tolvin.standins.local.LocalRepository;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** What is really there, on real servers: found, settled by its action, and found again. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class SweepTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String SECRET = "canary-directory-secret";
  private static Path files;
  private static LocalSshServer sftp;
  private static LocalDirectory people;

  @BeforeAll
  static void start(@TempDir Path directory) throws Exception {
    files = directory;
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    sftp = LocalSshServer.at(directory.resolve("sftp"), Ports.free()).account("keeper").start();
    people = LocalDirectory.start(directory.resolve("people"), Ports.free(), SECRET);
  }

  @AfterAll
  static void stop() {
    sftp.close();
    people.close();
  }

  private static String content(Path file) {
    try {
      return Files.readString(file);
    } catch (java.io.IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static PublicKey key() {
    return KeyPairMaker.ed25519(RANDOM).key();
  }

  static String attach(Map<String, Object> more) {
    Map<String, Object> request = new HashMap<>(more);
    request.putIfAbsent("name", "there-" + UUID.randomUUID());
    request.putIfAbsent("host", "127.0.0.1");
    return api()
        .body(request)
        .post("/api/v1/destinations")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  static String attachServer(LocalSshServer server, Map<String, Object> more) throws Exception {
    Map<String, Object> request = new HashMap<>(more);
    request.put("family", "sftp-server");
    request.put("port", server.port());
    request.put("hostKeys", List.of(server.hostKey().line()));
    request.put("managementLogin", "keeper");
    request.put("keysPath", server.directory() + "/home/{login}/.ssh/authorized_keys");
    request.put("readsPerSecond", 500);
    String id = attach(request);
    server.authorize("keeper", api().get("/api/v1/destinations/" + id).path("tolvinKey"));
    return id;
  }

  static String account(String destination, String login, Map<String, Object> more) {
    Map<String, Object> request = new HashMap<>(more);
    request.put("login", login);
    return api()
        .body(request)
        .post("/api/v1/destinations/" + destination + "/accounts")
        .then()
        .statusCode(200)
        .extract()
        .path("id");
  }

  static void sweep(String destination) {
    swept(destination).body("failed", equalTo(0));
  }

  private static io.restassured.response.ValidatableResponse swept(String destination) {
    String id =
        api()
            .body(Map.of("destinationId", destination))
            .post("/api/v1/sweeps")
            .then()
            .statusCode(200)
            .extract()
            .path("id");
    Ports.await(
        "the sweep is done",
        Duration.ofSeconds(60),
        () -> "done".equals(api().get("/api/v1/sweeps/" + id).path("state")));
    return api().get("/api/v1/sweeps/" + id).then();
  }

  private static List<String> kinds(String account, String state) {
    return api().get("/api/v1/findings?account=" + account + "&state=" + state).path("items.kind");
  }

  /** What is found of the server as such. */
  private static List<String> atServer(String destination) {
    return api()
        .get("/api/v1/findings?destination=" + destination)
        .path("items.findAll { it.accountId == null }.kind");
  }

  private static String finding(String account, String kind) {
    return api()
        .get("/api/v1/findings?account=" + account + "&kind=" + kind)
        .then()
        .statusCode(200)
        .extract()
        .path("items[0].id");
  }

  private static io.restassured.response.ValidatableResponse settle(
      String finding, String action, Map<String, Object> more) {
    Map<String, Object> settling = new HashMap<>(more);
    settling.put("ids", List.of(finding));
    settling.put("action", action);
    settling.put("reason", "test");
    return api().body(settling).post("/api/v1/findings/settle").then().statusCode(200);
  }

  @Test
  void whatIsFoundIsSettledByItsDeedAndFoundAgain() throws Exception {
    String at = attachServer(sftp, Map.of());
    sftp.account("boats");
    String account = account(at, "boats", Map.of());
    String identity = Caller.addIdentity();
    PublicKey unknown = key();
    PublicKey going = key();
    sftp.authorize("boats", unknown.line("somebody's laptop"));
    sftp.authorize("boats", going.line("old thing"));
    sftp.authorize("boats", "ssh-ed25519 AAAAC3Nza broken");
    sweep(at);
    assertThat(kinds(account, "open"))
        .containsExactlyInAnyOrder("unknown-key", "unknown-key", "damaged-line");

    List<Map<String, Object>> open =
        api().get("/api/v1/findings?account=" + account + "&kind=unknown-key").path("items");
    Map<String, String> byKey = new HashMap<>();
    open.forEach(f -> byKey.put((String) f.get("key"), (String) f.get("id")));
    settle(byKey.get(unknown.fingerprintText()), "adopt", Map.of("identityId", identity))
        .body("possible", hasItem(true));
    settle(byKey.get(going.fingerprintText()), "withdraw", Map.of())
        .body("possible", hasItem(true));
    settle(
            finding(account, "damaged-line"),
            "accept",
            Map.of("until", Instant.now().plusSeconds(86400).toString()))
        .body("possible", hasItem(true));
    Ports.await(
        "the line is out",
        Duration.ofSeconds(30),
        () -> !content(sftp.authorizedKeys("boats")).contains(going.line()));
    assertThat(Files.readString(sftp.authorizedKeys("boats")))
        .isEqualTo(unknown.line("somebody's laptop") + "\nssh-ed25519 AAAAC3Nza broken\n");
    sweep(at);
    assertThat(kinds(account, "open")).isEmpty();
    assertThat(kinds(account, "accepted")).containsExactly("damaged-line");

    // what was agreed is changed by hand: restored in one step, then lost and put back anew
    Path file = sftp.authorizedKeys("boats");
    Files.writeString(file, "no-pty " + Files.readString(file));
    sweep(at);
    assertThat(kinds(account, "open")).containsExactly("changed");
    settle(finding(account, "changed"), "restore", Map.of()).body("possible", hasItem(true));
    assertThat(Files.readString(file)).doesNotContain("no-pty").contains(unknown.line());
    Files.writeString(file, "");
    sweep(at);
    assertThat(kinds(account, "open")).containsExactly("missing");
    settle(finding(account, "missing"), "restore", Map.of()).body("possible", hasItem(true));
    Ports.await(
        "it is there again, marked",
        Duration.ofSeconds(30),
        () -> content(file).contains(unknown.line()));
    assertThat(Files.readString(file)).contains("tolvin:");

    // the one that was withdrawn comes back
    sftp.authorize("boats", going.line("old thing"));
    sweep(at);
    api()
        .get("/api/v1/findings?account=" + account)
        .then()
        .body("items.kind", hasItem("wrong-account"));
    Files.writeString(file, "");
    sweep(at);
    settle(finding(account, "missing"), "accept", Map.of("until", "2020-01-01T00:00:00Z"))
        .body("possible", hasItem(false))
        .body("sentence", hasItem(containsString("lies ahead")));
    api()
        .get("/api/v1/findings?account=" + account + "&kind=missing")
        .then()
        .body("items.cameBack", hasItem(1));
    String database = api().get("/api/v1/journal?limit=50").asString();
    assertThat(database).contains("finding.adopt", "finding.restore", "sweep.ended");
  }

  @Test
  void ofSeveralCopiesOneStaysAndNobodyIsLockedOut() throws Exception {
    String at = attachServer(sftp, Map.of());
    sftp.account("copies");
    String account = account(at, "copies", Map.of());
    PublicKey agreed = key();
    PublicKey unknown = key();
    String line = agreed.line("boats");
    Path file = sftp.authorizedKeys("copies");
    sftp.authorize("copies", line);
    sweep(at);
    settle(finding(account, "unknown-key"), "adopt", Map.of("identityId", Caller.addIdentity()))
        .body("possible", hasItem(true));
    String junk = "ssh-ed25519 AAAA broken\n";
    Files.writeString(
        file,
        line
            + "\n"
            + "no-pty "
            + line
            + "\n"
            + line
            + "\n"
            + junk
            + junk
            + (unknown.line("who") + "\n").repeat(2)
            + "no-pty "
            + unknown.line("who")
            + "\n");
    sweep(at);
    assertThat(kinds(account, "open"))
        .containsExactlyInAnyOrder("duplicate", "duplicate", "unknown-key", "damaged-line");
    List<Map<String, Object>> twice =
        api().get("/api/v1/findings?account=" + account + "&kind=duplicate").path("items");
    for (Map<String, Object> one : twice) {
      settle((String) one.get("id"), "withdraw", Map.of())
          .body("possible", hasItem(true))
          .body("sentence", hasItem(containsString("Leaves one entry")));
    }
    assertThat(Files.readString(file))
        .isEqualTo(line + "\n" + junk + junk + unknown.line("who") + "\n");
    settle(finding(account, "unknown-key"), "withdraw", Map.of()).body("possible", hasItem(true));
    Ports.await(
        "the unknown one is out",
        Duration.ofSeconds(30),
        () -> !content(file).contains(unknown.line()));
    assertThat(Files.readString(file)).isEqualTo(line + "\n" + junk + junk);
    String settled = finding(account, "damaged-line");
    settle(settled, "withdraw", Map.of()).body("possible", hasItem(false));
    sweep(at);
    assertThat(kinds(account, "open")).containsExactly("damaged-line");
  }

  @Test
  void aFileThatIsRewrittenIsLeftToItsSource() throws Exception {
    String at = attachServer(sftp, Map.of());
    sftp.account("kept");
    String account =
        account(
            at, "kept", Map.of("managedBy", "another-source", "otherSource", "the yard's scripts"));
    sftp.authorize("kept", key().line("from the scripts"));
    String key =
        api().body(Map.of("identityId", Caller.addIdentity())).post("/api/v1/made-keys").path("id");
    api()
        .body(Map.of("keyId", key, "accountId", account, "title", "boats"))
        .post("/api/v1/placements")
        .then()
        .statusCode(409)
        .body("detail", containsString("the yard's scripts"));
    sweep(at);
    settle(finding(account, "unknown-key"), "withdraw", Map.of())
        .body("possible", hasItem(false))
        .body("sentence", hasItem(containsString("taken out there")));

    // adopted, it is changed through that source alone, and believed by reading
    settle(finding(account, "unknown-key"), "adopt", Map.of("identityId", Caller.addIdentity()));
    String before = content(sftp.authorizedKeys("kept"));
    String placement = api().get("/api/v1/placements?account=" + account).path("items[0].id");
    api()
        .body(Map.of("reason", "gone"))
        .post("/api/v1/placements/" + placement + "/withdraw")
        .then()
        .statusCode(200);
    Ports.await(
        "the keeper of the source is asked",
        Duration.ofSeconds(30),
        () ->
            "take-out"
                .equals(
                    api()
                        .get("/api/v1/hand-overs")
                        .path("items.find { it.toWhom.contains('yard') }.kind")));
    assertThat(content(sftp.authorizedKeys("kept"))).isEqualTo(before);
    Files.writeString(sftp.authorizedKeys("kept"), "# rewritten by the scripts\n");
    Ports.await(
        "it is seen that it is out",
        Duration.ofSeconds(30),
        () -> "withdrawn".equals(api().get("/api/v1/placements/" + placement).path("state")));
    assertThat(content(sftp.authorizedKeys("kept"))).isEqualTo("# rewritten by the scripts\n");
  }

  @Test
  void aServerThatNobodyComparedIsNotReadAndSaysSo() throws Exception {
    String host = attach(Map.of("family", "sftp-server", "port", sftp.port()));
    account(host, "boats", Map.of());
    swept(host)
        .body("failed", equalTo(1))
        .body("failures[0].reason", containsString("was not compared yet"));
    assertThat(atServer(host)).containsExactly("not-compared");
    api().body(Map.of()).post("/api/v1/destinations/" + host + "/looks").then().statusCode(200);
    Caller.session()
        .body(Map.of("fingerprints", List.of(sftp.hostKey().fingerprintText()), "reason", "x"))
        .post("/api/v1/destinations/" + host + "/host-keys/confirm")
        .then()
        .statusCode(200);
    swept(host).body("failed", equalTo(1)); // it is let in nowhere yet, but that is another matter
    assertThat(atServer(host)).doesNotContain("not-compared");
  }

  @Test
  void modesOwnersAndOtherDoorsAreSeen() throws Exception {
    Path config = files.resolve("yard.conf");
    Files.writeString(config, "TrustedUserCAKeys /etc/ca.pub\nAuthorizedKeysFile a b\n");
    String at = attachServer(sftp, Map.of("configPath", config.toString()));
    sftp.account("open");
    String account = account(at, "open", Map.of());
    Files.setPosixFilePermissions(
        sftp.home("open").resolve(".ssh"), PosixFilePermissions.fromString("rwxrwxrwx"));
    sweep(at);
    assertThat(kinds(account, "open")).containsExactly("too-open");
    assertThat(atServer(at)).containsExactlyInAnyOrder("authority", "second-file");
    api()
        .get("/api/v1/findings?account=" + account + "&kind=too-open")
        .then()
        .body("items[0].sentence", containsString("bad ownership or modes for directory"));
    api().get("/api/v1/accounts/" + account).then().body("modeSeen", equalTo("key"));
    Files.setPosixFilePermissions(
        sftp.home("open").resolve(".ssh"), PosixFilePermissions.fromString("rwx------"));
    sweep(at);
    assertThat(kinds(account, "open")).doesNotContain("too-open");
    assertThat(atServer(at)).as("they are still there").hasSize(2);
    Files.delete(config);
    sweep(at);
    assertThat(atServer(at)).containsExactly("doors-unknown");
    Files.writeString(config, "AuthorizedKeysFile .ssh/authorized_keys\n");
    sweep(at);
    assertThat(atServer(at)).isEmpty();
    api()
        .get("/api/v1/findings?account=" + account + "&state=settled&kind=too-open")
        .then()
        .body("items[0].settledBy", equalTo("gone"));
  }

  @Test
  void aLineThatSomebodyElsesWriteLostIsRestoredALeaseLater() throws Exception {
    String at = attachServer(sftp, Map.of());
    sftp.account("rewritten");
    String account = account(at, "rewritten", Map.of("managedBy", "shared"));
    String key =
        api().body(Map.of("identityId", Caller.addIdentity())).post("/api/v1/made-keys").path("id");
    Caller.place(
        Map.of(
            "keyId",
            key,
            "accountId",
            account,
            "title",
            "boats",
            "options",
            List.of("command=\"internal-sftp\"", "restrict"),
            "sources",
            List.of("127.0.0.0/8")),
        "proven");
    Path file = sftp.authorizedKeys("rewritten");
    String written = Files.readString(file);
    assertThat(written)
        .startsWith("from=\"127.0.0.0/8\",command=\"internal-sftp\",restrict ssh-ed25519");
    String theirs = key().line("rewritten by hand") + "\n";
    Files.writeString(file, theirs);
    Ports.await("it is restored", Duration.ofSeconds(60), () -> content(file).contains("tolvin:"));
    assertThat(Files.readString(file)).isEqualTo(theirs + written);
    assertThat(api().get("/api/v1/journal?limit=50").asString()).contains("placement.lost");
  }

  /** Limits that the server would not take are refused before anything is written. */
  @Test
  void limitsThatWouldHaveTheLineIgnoredAreRefusedWithTheServersReason() throws Exception {
    String at = attachServer(sftp, Map.of());
    sftp.account("limited");
    String account = account(at, "limited", Map.of());
    String key =
        api().body(Map.of("identityId", Caller.addIdentity())).post("/api/v1/made-keys").path("id");
    String before = Files.readString(sftp.authorizedKeys("limited"));
    for (var refused :
        List.of(
            Map.entry(Map.of("sources", List.of("10.1.2.3/8")), "does not fit its address"),
            Map.entry(Map.of("sources", List.of("10.0.0.0/33")), "does not fit its address"),
            Map.entry(Map.of("options", List.of("permitopen=\"*:0\"")), "names no port"),
            Map.entry(Map.of("options", List.of("permitlisten=\"[::1\"")), "HOST:PORT"),
            Map.entry(Map.of("options", List.of("tunnel=\"4000000000\"")), "number of a device"),
            Map.entry(Map.of("options", List.of("environment=\"A-B=c\"")), "NAME=value"),
            Map.entry(Map.of("options", List.of("no-cert-authority")), "no option"))) {
      Map<String, Object> wish = new HashMap<>(Map.of("keyId", key, "accountId", account));
      wish.put("title", "limited");
      wish.putAll(refused.getKey());
      api()
          .body(wish)
          .post("/api/v1/placements")
          .then()
          .statusCode(422)
          .body("detail", containsString(refused.getValue()));
    }
    assertThat(Files.readString(sftp.authorizedKeys("limited"))).isEqualTo(before);
  }

  /** Somebody's slip before an agreed line: the server takes nothing of it any more. */
  @Test
  void anAgreedLineThatTheServerPassesOverIsMissingAndPutBackBesideIt() throws Exception {
    String at = attachServer(sftp, Map.of());
    sftp.account("slips");
    String account = account(at, "slips", Map.of());
    String key =
        api().body(Map.of("identityId", Caller.addIdentity())).post("/api/v1/made-keys").path("id");
    Caller.place(key, account, "proven");
    Path file = sftp.authorizedKeys("slips");
    String broken = "no-ptty " + Files.readString(file);
    Files.writeString(file, broken);
    sweep(at);
    assertThat(kinds(account, "open")).containsExactlyInAnyOrder("missing", "damaged-line");
    api()
        .get("/api/v1/accounts/" + account)
        .then()
        .body("registered[0].ignored", equalTo(true))
        .body("registered[0].endsAt", equalTo(null));
    settle(finding(account, "missing"), "restore", Map.of()).body("possible", hasItem(true));
    Ports.await(
        "it is placed beside, and signs in",
        Duration.ofSeconds(30),
        () ->
            api()
                .get("/api/v1/placements?account=" + account)
                .<List<String>>path("items.state")
                .contains("proven"));
    assertThat(Files.readString(file)).startsWith(broken).hasLineCount(2);
    sweep(at);
    assertThat(kinds(account, "open")).doesNotContain("missing").contains("damaged-line");
  }

  @Test
  void keysInARepositoryAndADirectoryAreSweptLikeAnyOther() throws Exception {
    sftp.account("git");
    LocalRepository repository = LocalRepository.in(sftp, "git");
    repository.outside("keys/isla.pub", key().line("by hand") + "\n");
    String inRepository =
        attach(
            Map.of(
                "family", "key-repository",
                "port", sftp.port(),
                "hostKeys", List.of(sftp.hostKey().line()),
                "settings", Map.of("path", LocalRepository.PATH, "signed", "yes")));
    sftp.authorize("git", api().get("/api/v1/destinations/" + inRepository).path("tolvinKey"));
    people.person("isla", "Isla Renwick");
    String inDirectory =
        attach(
            Map.of(
                "family",
                "directory",
                "port",
                people.port(),
                "user",
                LocalDirectory.KEEPER,
                "secret",
                SECRET,
                "settings",
                Map.of(
                    "base",
                    "ou=people," + LocalDirectory.BASE,
                    "attribute",
                    LocalDirectory.ATTRIBUTE,
                    "object-class",
                    LocalDirectory.CLASS,
                    "trusted-certificate",
                    people.trusted())));
    for (String at : List.of(inRepository, inDirectory)) {
      String account = account(at, "isla", Map.of());
      String key =
          api()
              .body(Map.of("identityId", Caller.addIdentity()))
              .post("/api/v1/made-keys")
              .path("id");
      Caller.place(key, account, "placed");
      sweep(at);
      assertThat(kinds(account, "open")).isIn(List.of("unknown-key"), List.of());
      api().get("/api/v1/destinations/" + at).then().body("health.failure", equalTo(null));
    }
    assertThat(people.values("isla")).hasSize(1);
    assertThat(repository.say("log", "-1", "--format=%an", "main")).contains("Tolvin");
  }
}
