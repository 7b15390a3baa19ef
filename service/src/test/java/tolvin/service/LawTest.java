package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static tolvin.service.Caller.api;
import static tolvin.service.RealClients.LONG;
import static tolvin.service.RealClients.RANDOM;
import static tolvin.service.RealClients.apps;
import static tolvin.service.RealClients.at;
import static tolvin.service.RealClients.await;
import static tolvin.service.RealClients.count;
import static tolvin.service.RealClients.elsewhere;
import static tolvin.service.RealClients.newKey;
import static tolvin.service.RealClients.plan;
import static tolvin.service.RealClients.run;
import static tolvin.service.RealClients.sftp;
import static tolvin.service.RealClients.stall;
import static tolvin.service.RealClients.write;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.quarkus.test.junit.TestProfile;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.service.RealClients.Client;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/**
 * Where the law once broke: lines taken out by hand, answers that come late, hosts that hang,
 * clients with a key that nobody accepts, uses that are made up. On real servers, with the
 * machine's own ssh.
 */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
@TestProfile(RealClients.ShortLease.class)
@Tag("short-lease")
class LawTest {
  @BeforeAll
  static void start() throws Exception {
    RealClients.start();
  }

  /** Somebody deletes the old line while it is watched, and the account is read again. */
  @Test
  void aLineTakenOutByHandEndsItsPlacementAndItsKey() throws Exception {
    Client client = Client.of(sftp, "removed");
    String first = run(client.key(), "PT1S");
    await(first, "outcome", "done", client);
    String old = newKey(first);
    String rotation = run(old, "PT1H");
    await(rotation, "stage", "proven", client);
    String oldPrint = api().get("/api/v1/keys/" + old).path("fingerprint");
    String oldLine = lineOf(client, oldPrint);
    Files.write(
        client.server().authorizedKeys("removed"),
        client.lines().stream().filter(l -> !l.equals(oldLine)).toList());
    api().body(Map.of("destinationId", at(sftp))).post("/api/v1/sweeps").then().statusCode(200);
    await(rotation, "outcome", "done", client);
    assertThat(
            count(
                "select count(*) from placement where key_id = '"
                    + old
                    + "' and state <> 'WITHDRAWN'"))
        .as("live placements of the old key")
        .isZero();
    api().get("/api/v1/keys/" + old).then().body("endedBecause", containsString("replaced"));
    Ports.await(
        "its private key is destroyed",
        LONG,
        () ->
            count(
                    "select count(*) from coffer_entry where subject_id = '"
                        + old
                        + "' and destroyed_at is not null")
                == 1);
    api()
        .body(Map.of("keyId", old, "accountId", client.account(), "title", "again"))
        .post("/api/v1/placements")
        .then()
        .statusCode(409);
    api()
        .get("/api/v1/findings?account=" + client.account() + "&kind=missing")
        .then()
        .body("items.size()", equalTo(0));
    assertThat(client.beside()).isEmpty();
    assertThat(client.signIn()).isEmpty();
  }

  private static String lineOf(Client client, String fingerprint) throws Exception {
    for (String line : client.lines()) {
      if (line.contains("tolvin:")
          && tolvin.core.key.OneLine.read(line)
              .orRefuse()
              .key()
              .fingerprintText()
              .equals(fingerprint)) {
        return line;
      }
    }
    throw new AssertionError(fingerprint + " is not among " + client.lines());
  }

  /** What was missing and comes back exactly as it was is placed as before. */
  @Test
  void whatIsMissingIsToldAndRestoredOrComesBack() throws Exception {
    Client client = Client.of(sftp, "returns");
    Path keys = client.server().authorizedKeys("returns");
    Ports.await(
        "the second look is over",
        LONG,
        () ->
            count(
                    "select count(*) from placement where account_id = '"
                        + client.account()
                        + "' and look_again_at is null")
                == 1);
    byte[] before = Files.readAllBytes(keys);
    Files.write(keys, new byte[0]);
    api().body(Map.of("destinationId", at(sftp))).post("/api/v1/sweeps").then().statusCode(200);
    String live = "select count(*) from placement where state <> 'WITHDRAWN' and account_id = '";
    Ports.await("its placement is over", LONG, () -> count(live + client.account() + "'") == 0);
    Ports.await(
        "it is told as missing",
        LONG,
        () ->
            !api()
                .get("/api/v1/findings?account=" + client.account() + "&kind=missing")
                .<List<String>>path("items.id")
                .isEmpty());
    Files.write(keys, before);
    api().body(Map.of("destinationId", at(sftp))).post("/api/v1/sweeps").then().statusCode(200);
    Ports.await("it is placed again", LONG, () -> count(live + client.account() + "'") == 1);
    assertThat(Files.readAllBytes(keys)).isEqualTo(before);
  }

  /** A rename that is stuck on the client's host is carried out long after the roll-back. */
  @Test
  void aRenameThatLandsAfterTheRollBackBreaksNothing() throws Exception {
    Client client = Client.of(sftp, "late");
    stall.hold(client.seat().toString());
    String rotation = run(client.key(), "PT1S");
    Ports.await(
        "the switch got no answer",
        LONG,
        () ->
            count(
                    "select count(*) from attempt where outcome = 'UNKNOWN' and seat_id = '"
                        + client.seatId()
                        + "'")
                > 0);
    api().body(Map.of("reason", "it hangs")).post(rotation + "/roll-back").then().statusCode(200);
    Ports.await(
        "nothing of it can land any more",
        LONG,
        () ->
            count(
                    "select count(*) from attempt where unsettled and seat_id = '"
                        + client.seatId()
                        + "'")
                == 0);
    stall.release(); // what hung is carried out now, if it still can be
    await(rotation, "outcome", "rolled-back", client);
    String fresh = newKey(rotation);
    Ports.await(
        "the new private key is destroyed",
        LONG,
        () ->
            count(
                    "select count(*) from coffer_entry where subject_id = '"
                        + fresh
                        + "' and destroyed_at is not null")
                == 1);
    for (int i = 0; i < 3; i++) {
      assertThat(client.signIn()).isEmpty();
    }
    Ports.await("no file is left", LONG, () -> client.beside().isEmpty());
    assertThat(client.lines()).hasSize(1);
  }

  /** One file that hangs holds up its own rotation and no other; it is shown. */
  @Test
  void aHostThatHangsIsSetAsideAndShown() throws Exception {
    Client stuck = Client.of(elsewhere, "stuck");
    Client other = Client.of(sftp, "unhindered");
    stall.hold(elsewhere.authorizedKeys("stuck").toString());
    String hangs = run(stuck.key(), "PT1S");
    Ports.await(
        "the change got no answer",
        LONG,
        () ->
            count(
                    "select count(*) from attempt where outcome = 'UNKNOWN' and account_id = '"
                        + stuck.account()
                        + "'")
                > 0);
    Ports.await(
        "Today tells",
        LONG,
        () ->
            api().get("/api/v1/today").<List<String>>path("needs.kind").stream()
                .anyMatch(kind -> kind.equals("host") || kind.equals("change")));
    String goesOn = run(other.key(), "PT1S");
    await(goesOn, "outcome", "done", other);
    io.restassured.RestAssured.get("/q/health").then().body("status", equalTo("UP"));
    io.restassured.RestAssured.given()
        .auth()
        .oauth2(Caller.token())
        .get("/q/metrics")
        .then()
        .body(containsString("tolvin_workers_stuck"))
        .body(containsString("tolvin_changes_unsettled"));
    stall.release();
    await(hangs, "outcome", "done", stuck);
    assertThat(stuck.lines()).hasSize(1);
  }

  /** Somebody puts a private file in place whose key no account accepts. */
  @Test
  void aClientThatOffersNoAcceptedKeyIsToldAndMendedByOneAction() throws Exception {
    Client client = Client.of(sftp, "mended");
    await(run(client.key(), "PT1S"), "outcome", "done", client);
    try (SecretPair unknown = KeyPairMaker.ed25519(RANDOM)) {
      Files.delete(Path.of(client.seat() + ".pub"));
      write(client.seat(), unknown);
      Unprivileged.own(apps.home("mended"));
    }
    assertThat(client.signIn()).contains("Permission denied");
    String findings = "/api/v1/findings?account=" + client.account() + "&kind=seat-refused";
    Ports.await(
        "it is found", LONG, () -> !api().get(findings).<List<String>>path("items.id").isEmpty());
    api()
        .get("/api/v1/today")
        .then()
        .body("needs.title", hasItem(containsString("mended job → mended@")));
    String id = api().get(findings).path("items[0].id");
    Ports.await( // somebody else may be at the seat just now, as a person would be told
        "it is mended",
        LONG,
        () ->
            api()
                .body(Map.of("action", "restore", "ids", List.of(id), "reason", "test"))
                .post("/api/v1/findings/settle")
                .then()
                .statusCode(200)
                .extract()
                .<List<Boolean>>path("possible")
                .contains(true));
    assertThat(client.signIn()).isEmpty();
  }

  /** A line that somebody made up and read in is no proof where Tolvin follows the log itself. */
  @Test
  void aUseThatSomebodyReadInProvesNothing() throws Exception {
    Client client = Client.of(sftp, "made-up");
    Ports.await(
        "its log is followed",
        LONG,
        () -> {
          assertThat(client.signIn()).isEmpty();
          return !api()
              .get("/api/v1/destinations/" + at(sftp) + "/uses?account=" + client.account())
              .<List<String>>path("items.key")
              .isEmpty();
        });
    String rotation = run(client.key(), "PT0S");
    await(rotation, "stage", "supplied", null);
    String fresh = api().get("/api/v1/keys/" + newKey(rotation)).path("fingerprint");
    String now = java.time.Instant.now().plusSeconds(1).toString();
    Caller.readUses(
            at(sftp),
            now
                + " sftp sshd[7]: Accepted publickey for made-up from 127.0.0.1 port 4 ssh2:"
                + " ED25519 "
                + fresh
                + "\n")
        .body("counted", equalTo(1));
    api()
        .get("/api/v1/destinations/" + at(sftp) + "/uses?account=" + client.account())
        .then()
        .body("items.findAll { it.readIn }.key", hasItem(fresh));
    api()
        .get(rotation)
        .then()
        .body("rotation.stage", equalTo("supplied"))
        .body("guards.find { it.guard == 'proven' }.answer", equalTo("not-yet"));
    await(rotation, "outcome", "done", client);
  }

  /** A key that is due again and again is rotated once in an interval; then a person is asked. */
  @Test
  void whatRunsAwayIsHeldUp() throws Exception {
    Client client = Client.of(sftp, "runaway");
    String identity = api().get("/api/v1/keys/" + client.key()).path("identityId");
    Map<String, Object> rule = new HashMap<>();
    rule.put("number", 900);
    rule.put("name", "the runaway");
    rule.put("identityId", identity);
    rule.put("every", "PT2H");
    rule.put("lead", "PT1H");
    rule.put("watch", "PT0S");
    api().body(rule).post("/api/v1/rules").then().statusCode(200);
    String byItself =
        "select count(*) from rotation r join key_record k on k.id = r.old_key_id where"
            + " k.identity_id = '"
            + identity
            + "'";
    // whatever it is that makes its keys look old, again and again
    String age =
        "with aged as (update key_record set made_at = now() - interval '3 hours' where identity_id"
            + " = '"
            + identity
            + "' and ended_at is null returning 1) select count(*) from aged";
    count(age);
    Ports.await(
        "the first one is done by itself",
        LONG,
        () -> {
          assertThat(client.signIn()).isEmpty();
          return count(byItself + " and r.outcome = 'DONE'") == 1;
        });
    count(age);
    String second =
        run(
            api().get("/api/v1/keys?identity=" + identity).path("items[0].id"),
            "PT0S"); // by hand one may
    await(second, "outcome", "done", client);
    count(age);
    Ports.await(
        "the third one is planned, and asks",
        LONG,
        () ->
            count(
                    byItself
                        + " and r.direction = 'PLANNED' and r.needs_person and r.ended_at is null")
                == 1);
    assertThat(count(byItself)).isEqualTo(3);
    assertThat(client.lines()).hasSize(1);
  }

  /** What is asked for counts, or is refused; nothing is passed over. */
  @Test
  void optionsAreNotPassedOver() throws Exception {
    Client client = Client.of(sftp, "options");
    String rotation = plan(client.key(), "PT24H");
    api()
        .get(rotation + "/plan")
        .then()
        .body("obstacle", equalTo(null)); // the seat was read before the plan was made
    api()
        .body(Map.of("watch", "PT1S", "reason", "tonight", "ticket", "CHG-7"))
        .patch(rotation)
        .then()
        .statusCode(200)
        .body("rotation.watch", equalTo("PT1S"))
        .body("rotation.ticket", equalTo("CHG-7"));
    api().body(Map.of()).post(rotation + "/run").then().statusCode(200);
    api().body(Map.of("watch", "PT9S")).patch(rotation).then().statusCode(409);
    await(rotation, "outcome", "done", client);
    String key = newKey(rotation);
    Map<String, Object> again = new HashMap<>();
    again.put("keyId", key);
    again.put("accountId", client.account());
    again.put("title", "options");
    api()
        .body(again)
        .post("/api/v1/placements")
        .then()
        .statusCode(409)
        .body("type", containsString("placement-exists"));
    again.put("sources", List.of("10.0.0.1"));
    api()
        .body(again)
        .post("/api/v1/placements")
        .then()
        .statusCode(409)
        .body("type", containsString("placement-differs"))
        .body("detail", containsString("addresses"));
  }

  /** A rehearsal of taking over refuses what the real run refuses, and adds nothing. */
  @Test
  void aRehearsalOfTakingOverSaysWhatTheRealRunDoes() {
    Map<String, Object> file =
        Map.of(
            "destination", "taken.example",
            "login", "boats",
            "bytes", (Caller.line() + " boats\n").getBytes(StandardCharsets.UTF_8),
            "identity", "nobody of that name");
    Map<String, Object> request = new HashMap<>(Map.of("files", List.of(file), "reason", "test"));
    for (boolean rehearse : List.of(true, false)) {
      request.put("rehearse", rehearse);
      api()
          .body(request)
          .post("/api/v1/estate/files")
          .then()
          .statusCode(200)
          .body("trouble", hasItem(containsString("There is no identity")));
    }
    Map<String, Object> good = new HashMap<>(file);
    good.remove("identity");
    request.put("files", List.of(good));
    for (boolean rehearse : List.of(true, true, false)) {
      request.put("rehearse", rehearse);
      api().body(request).post("/api/v1/estate/files").then().body("fresh", hasItem(1));
    }
  }
}
