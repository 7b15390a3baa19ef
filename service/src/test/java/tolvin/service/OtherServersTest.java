package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static org.hamcrest.Matchers.startsWith;
import static tolvin.service.Caller.api;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.quarkus.test.junit.TestProfile;
import jakarta.inject.Inject;
import jakarta.persistence.EntityManager;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.server.FilesScript;
import tolvin.core.server.FilesWay;
import tolvin.core.word.Words;
import tolvin.service.record.placement.PlacementRow;
import tolvin.standins.local.LocalDropbear;
import tolvin.standins.local.LocalHosting;
import tolvin.standins.local.LocalKeysServer;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * Servers of other kinds than OpenSSH, for real: recognised by what they call themselves, tested
 * with throw-away keys, rotated while a client signs in all the time.
 */
@QuarkusTest
@Tag("short-lease")
@TestProfile(RealClients.ShortLease.class)
@QuarkusTestResource(PostgresForTests.class)
class OtherServersTest {
  @Inject EntityManager database;

  private static final Map<String, Object> SOURCE =
      Map.of("managedBy", "another-source", "otherSource", "the yard's own tool");

  @BeforeEach
  void start() throws Exception {
    RealClients.start();
  }

  @Test
  void dropbear(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalDropbear server =
        LocalDropbear.at(directory.resolve("dropbear"), Ports.free()).account("keeper").start()) {
      RealClients.Client client = RealClients.Client.of(server, "dropbear-boats");
      isRecognised(server, "SSH-2.0-dropbear", "dropbear", "lines");
      refused(client, Map.of("sources", List.of("10.0.0.0/8")), "Dropbear has no option “from”");
      refused(
          client, Map.of("options", List.of("tunnel=\"1\"")), "Dropbear has no option “tunnel”");
      tested(client)
          .body(
              "steps.find { it.step == 'options' }.said",
              equalTo("it takes all but expiry-time, from"));
      rotatedUnderTraffic(client);
    }
  }

  @Test
  void proftpd(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalProftpd server =
        LocalProftpd.at(directory.resolve("proftpd"), Ports.free()).account("keeper").start()) {
      RealClients.Client client = RealClients.Client.of(server, "proftpd-boats");
      isRecognised(server, "SSH-2.0-mod_sftp", "proftpd", "blocks");
      refused(client, Map.of("options", List.of("restrict")), "a block has no place for options");
      tested(client).body("steps.step", equalTo(List.of("read", "sign in")));
      rotatedUnderTraffic(client);
      assertThat(Files.readString(server.authorizedKeys(client.login())))
          .startsWith("---- BEGIN SSH2 PUBLIC KEY ----\nComment: ");
    }
  }

  /** A server that looks in two files; the key that goes stands in the second. */
  @Test
  void severalFiles(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalSshServer server =
        LocalSshServer.at(
                directory.resolve("several"),
                Ports.free(),
                "AuthorizedKeysFile .ssh/authorized_keys .ssh/more")
            .account("keeper")
            .start()) {
      RealClients.Client client = RealClients.Client.of(server, "several-boats");
      awaitSecondLook(client);
      Path second = server.authorizedKeys(client.login()).resolveSibling("more");
      Files.move(server.authorizedKeys(client.login()), second);
      String at = "/api/v1/destinations/" + RealClients.at(server);
      String both = second.resolveSibling("authorized_keys") + "," + second;
      for (String wrong : List.of("/etc/keys/all", both, "")) {
        String paths = wrong.replace(client.login(), "{login}");
        changed(at, Map.of("further-files", paths)).statusCode(wrong.isEmpty() ? 200 : 422);
      }
      SweepTest.sweep(RealClients.at(server));
      registered(client, List.of());
      changed(at, Map.of("further-files", second.toString().replace(client.login(), "{login}")))
          .statusCode(200);
      SweepTest.sweep(RealClients.at(server));
      String old = api().get("/api/v1/keys/" + client.key()).path("fingerprint");
      registered(client, List.of(old));
      rotatedUnderTraffic(client);
      assertThat(second).isEmptyFile();
      assertThat(client.lines()).hasSize(1);
    }
  }

  /** Until then, what was just written and is gone again would be restored. */
  private void awaitSecondLook(RealClients.Client client) {
    Ports.await(
        "what was placed was read again",
        Duration.ofSeconds(60),
        () ->
            QuarkusTransaction.requiringNew()
                .call(
                    () ->
                        database
                            .createQuery(
                                "from PlacementRow p where p.accountId = :id and p.lookAgainAt is"
                                    + " not null",
                                PlacementRow.class)
                            .setParameter("id", UUID.fromString(client.account()))
                            .getResultList()
                            .isEmpty()));
  }

  private static void registered(RealClients.Client client, List<String> keys) {
    api().get("/api/v1/accounts/" + client.account()).then().body("registered.key", equalTo(keys));
  }

  /**
   * Where there is no SFTP, by commands; and by the script, where that is all that the login runs.
   */
  @ParameterizedTest
  @EnumSource(
      value = FilesWay.class,
      names = {"COMMANDS", "SCRIPT"})
  void withoutSftp(FilesWay way, @TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalSshServer server =
        LocalSshServer.at(directory.resolve("plain"), Ports.free())
            .withoutSftp()
            .account("keeper")
            .start()) {
      RealClients.Client client = RealClients.Client.of(server, "plain-" + Words.of(way));
      if (way == FilesWay.SCRIPT) {
        install(server);
      }
      tested(client);
      rotatedUnderTraffic(client);
      api()
          .get("/api/v1/destinations/" + RealClients.at(server))
          .then()
          .body("keysServer.files", equalTo(Words.of(way)));
    }
  }

  private static void install(LocalSshServer server) throws Exception {
    String text = api().get("/api/v1/files-script").asString();
    Path script = Files.writeString(server.directory().resolve(FilesScript.NAME), text);
    Path own = server.authorizedKeys("keeper");
    Files.writeString(
        own,
        "command=\"sh %s %s %s\",restrict "
                .formatted(script, server.authorizedKeys("{login}"), server.log())
            + Files.readString(own));
    server.sessions().forEach(ProcessHandle::destroy); // what is kept was let in without it
  }

  /**
   * Users of a git hosting layer: their keys are files of its administration repository, a key
   * each, and all sign in with one login.
   */
  @Test
  void aHostingLayer(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalSshServer server =
        LocalSshServer.at(directory.resolve("code"), Ports.free())
            .account("keeper")
            .account("git")
            .start()) {
      String repository =
          SweepTest.attach(
              Map.of(
                  "family",
                  "key-repository",
                  "port",
                  server.port(),
                  "managementLogin",
                  "git",
                  "hostKeys",
                  List.of(server.hostKey().line()),
                  "signsInAtId",
                  RealClients.at(server),
                  "settings",
                  Map.of(
                      "path", LocalHosting.PATH,
                      "branch", LocalHosting.BRANCH,
                      "files", "keydir/tolvin/{key}/{login}.pub keydir/**/{login}.pub",
                      "keys-in-a-file", "one",
                      "shared-login", "git",
                      "who", "info")));
      LocalHosting.in(server, "git", RealClients.tolvinKey(repository)).open("boats");
      RealClients.Client client =
          RealClients.Client.of(
              server, "boats-night", repository, "git@127.0.0.1:" + server.port() + "/boats");
      rotatedUnderTraffic(client);
      String other = SweepTest.account(repository, "tormod", Map.of("holds", 5));
      String made = Caller.madeKey();
      Caller.place(Map.of("keyId", made, "accountId", client.account(), "title", "hers"), "placed");
      api()
          .body(Map.of("keyId", made))
          .post("/api/v1/accounts/" + other + "/trials")
          .then()
          .statusCode(200)
          .body("accepted", equalTo(false))
          .body("answer", containsString("as another account: hello boats-night,"))
          .body("causes[0].kind", equalTo("wrong-account"))
          .body("causes[0].evidence[0]", containsString("boats-night@"));
    }
  }

  /** A server of a kind that nobody knows is asked which options it takes. */
  @Test
  void anotherKindIsAskedWhichOptionsItTakes() throws Exception {
    RealClients.Client client = RealClients.Client.of(RealClients.elsewhere, "unknown-kind");
    String at = "/api/v1/destinations/" + RealClients.at(RealClients.elsewhere);
    Map<String, Object> option = Map.of("options", List.of("no-pty"));
    changed(at, Map.of("server", "some"))
        .statusCode(422)
        .body("detail", containsString("cannot be “some”"));
    changed(at, Map.of("server", "other"))
        .statusCode(200)
        .body("keysServer.kind", equalTo("other"));
    refused(client, option, "nobody knows what a server of this kind makes of its options");
    tested(client)
        .body(
            "steps.find { it.step == 'options' }.said",
            equalTo("it takes all that were tried; on record now"));
    api().get(at).then().body("keysServer.options", hasItem("no-pty"));
    refused(
        client,
        Map.of("options", List.of("no-user-rc")),
        "not on record that the server takes no-user-rc");
    Caller.place(
        Map.of(
            "keyId",
            another(),
            "accountId",
            client.account(),
            "title",
            "t",
            "options",
            List.of("no-pty")),
        "placed");
    String theirs = SweepTest.account(RealClients.at(RealClients.elsewhere), "theirs", SOURCE);
    assertThat(theirs).isNotNull();
    api()
        .body(Map.of("account", "theirs"))
        .post(at + "/tests")
        .then()
        .statusCode(409)
        .body("detail", containsString("Tolvin writes nothing there"));
    changed(at, Map.of("server", "", "options", ""))
        .statusCode(200)
        .body("keysServer.kind", equalTo("openssh"));
  }

  private static io.restassured.response.ValidatableResponse changed(
      String destination, Map<String, String> settings) {
    int version = api().get(destination).path("version");
    return api()
        .header("If-Match", "\"" + version + "\"")
        .body(Map.of("settings", settings))
        .patch(destination)
        .then();
  }

  private static void isRecognised(
      LocalKeysServer server, String callsItself, String kind, String format) {
    String at = "/api/v1/destinations/" + RealClients.at(server);
    api().post(at + "/looks").then().statusCode(200);
    api()
        .get(at)
        .then()
        .body("keysServer.callsItself", startsWith(callsItself))
        .body("keysServer.kind", equalTo(kind))
        .body("keysServer.format", equalTo(format));
  }

  private static String another() {
    String line = KeyPairMaker.ed25519(RealClients.RANDOM).key().line();
    return api()
        .body(Map.of("text", line, "identityId", Caller.addIdentity(), "custody", "machine"))
        .post("/api/v1/keys")
        .path("id");
  }

  private static void refused(
      RealClients.Client client, Map<String, Object> limits, String because) {
    Map<String, Object> request = new java.util.HashMap<>(limits);
    request.putAll(Map.of("keyId", another(), "accountId", client.account(), "title", "limited"));
    api()
        .body(request)
        .post("/api/v1/placements")
        .then()
        .statusCode(422)
        .body("detail", containsString(because));
  }

  private static io.restassured.response.ValidatableResponse tested(RealClients.Client client)
      throws Exception {
    String before = Files.readString(client.server().authorizedKeys(client.login()));
    var tested =
        api()
            .body(Map.of("account", client.login()))
            .post("/api/v1/destinations/" + RealClients.at(client.server()) + "/tests")
            .then()
            .statusCode(200)
            .body("good", equalTo(true));
    assertThat(Files.readString(client.server().authorizedKeys(client.login()))).isEqualTo(before);
    return tested;
  }

  private static void rotatedUnderTraffic(RealClients.Client client) throws Exception {
    assertThat(client.signIn()).isEmpty();
    Ports.await(
        "its log is followed, so that the plan can count on it",
        RealClients.LONG,
        () ->
            api()
                    .get("/api/v1/destinations/" + RealClients.at(client.server()))
                    .path("feed.unbrokenSince")
                != null);
    String rotation = RealClients.run(client.key(), "PT2S");
    RealClients.await(rotation, "outcome", "done", client);
    String old = api().get("/api/v1/keys/" + client.key()).path("fingerprint");
    String fresh = api().get("/api/v1/keys/" + RealClients.newKey(rotation)).path("fingerprint");
    String destination =
        api()
            .get("/api/v1/accounts/" + client.account())
            .then()
            .body("registered.key", equalTo(List.of(fresh)))
            .extract()
            .path("destinationId");
    api()
        .get("/api/v1/destinations/" + destination + "/uses")
        .then()
        .body(
            "items.findAll { it.account == '" + client.login() + "' }.key",
            org.hamcrest.Matchers.hasItems(old, fresh));
  }
}
