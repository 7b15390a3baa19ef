package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/**
 * Two nodes of one integration on real servers, with clients that go on with what they have until
 * they are told: one holds its keys in memory and offers another one first, one has a real agent.
 */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class SeatsTest {
  private static final SecureRandom RANDOM = new SecureRandom();

  private static String attach(LocalSshServer server, Map<String, Object> more) {
    Map<String, Object> request = new HashMap<>(more);
    request.put("family", "sftp-server");
    request.put("port", server.port());
    request.put("hostKeys", List.of(server.hostKey().line()));
    return SweepTest.attach(request);
  }

  private static String tolvinKey(String destination) {
    return api().get("/api/v1/destinations/" + destination).path("tolvinKey");
  }

  @Test
  void clientsThatGoOnUntilTheyAreToldAreNeverRefused(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    LocalSshServer sftp =
        LocalSshServer.at(directory.resolve("sftp"), Ports.free()).account("boats").start();
    LocalSshServer apps =
        LocalSshServer.at(directory.resolve("apps"), Ports.free())
            .account("node-a")
            .account("node-b")
            .start();
    try (sftp;
        apps;
        SecretPair old = KeyPairMaker.ed25519(RANDOM);
        SecretPair first = KeyPairMaker.ed25519(RANDOM)) {
      Path a = apps.home("node-a");
      Path memory = Files.createDirectory(a.resolve("memory"));
      for (Path place : List.of(a, memory)) {
        write(place.resolve("id_first"), first);
        write(place.resolve("id_boats"), old);
      }
      Path b = apps.home("node-b");
      write(b.resolve("id_boats"), old);
      Unprivileged.own(a);
      Unprivileged.own(b);
      String at = attach(sftp, Map.of("logPath", sftp.log().toString()));
      sftp.authorize("boats", tolvinKey(at));
      String account = SweepTest.account(at, "boats", Map.of());
      String host = attach(apps, Map.of());
      apps.authorize("node-a", tolvinKey(host));
      apps.authorize("node-b", tolvinKey(host));
      String keyId = placed(old, account);
      String integration = integration();

      Map<String, Object> seat = new HashMap<>();
      seat.put("hostId", host);
      seat.put("login", "node-a");
      seat.put("path", a.resolve("id_first").toString());
      seat.put("morePaths", List.of(a.resolve("id_boats").toString()));
      seat.put("address", "127.0.0.1");
      seat.put("takesEffect", "reload");
      api()
          .body(seat)
          .post("/api/v1/integrations/" + integration + "/seats")
          .then()
          .statusCode(422)
          .body("detail", containsString("A command belongs to a seat"));
      String copy = "cp id_boats memory/new && mv memory/new memory/id_boats";
      seat.put("effectCommand", copy);
      api()
          .body(seat)
          .post("/api/v1/integrations/" + integration + "/seats")
          .then()
          .statusCode(409)
          .body("remedy", containsString("tolvin command add"));
      Caller.approve(copy);
      final String nodeA = seat(integration, seat, account);
      Path socket = directory.resolve("sftp").resolve("agent");
      Process agent = start("ssh-agent", "-D", "-a", socket.toString());
      try {
        Ports.await("the agent runs", Duration.ofSeconds(10), () -> Files.exists(socket));
        run("env", "SSH_AUTH_SOCK=" + socket, "ssh-add", "-q", b.resolve("id_boats").toString());
        String tell =
            "export SSH_AUTH_SOCK="
                + socket
                + "; ssh-add -q id_boats && for k in"
                + " $(ssh-add -L | cut -d' ' -f2); do grep -q \"$k\" id_boats.pub || {"
                + " ssh-add -L | grep \"$k\" > gone.pub; ssh-add -q -d gone.pub; }; done";
        Caller.approve(tell);
        String nodeB =
            seat(
                integration,
                Map.of(
                    "hostId",
                    host,
                    "login",
                    "node-b",
                    "path",
                    b.resolve("id_boats").toString(),
                    "address",
                    "127.0.0.2",
                    "takesEffect",
                    "agent",
                    "effectCommand",
                    tell),
                account);

        // it loads both files when it starts; the machine's ssh reads each of them twice
        String clientA =
            "d=$(mktemp -d) && cp %1$s/id_first %1$s/id_boats $d &&".formatted(memory)
                + " ssh -b 127.0.0.1 -o IdentityAgent=none -o"
                + " IdentitiesOnly=yes -i $d/id_first -i $d/id_boats";
        // it asks its agent twice in a sign-in, and has a pause behind it, as a job has
        String clientB = "sleep 1; ssh -b 127.0.0.2 -o IdentityAgent=" + socket;
        AtomicBoolean stop = new AtomicBoolean();
        List<String> refusals = Collections.synchronizedList(new ArrayList<>());
        List<Thread> clients =
            List.of(goesOn(sftp, clientA, stop, refusals), goesOn(sftp, clientB, stop, refusals));
        Ports.await(
            "it is seen that one client goes on after a refusal",
            Duration.ofSeconds(30),
            () ->
                api()
                        .get("/api/v1/seats")
                        .path("items.find { it.id == '" + nodeA + "' }.fallsBackSeenAt")
                    != null);
        rotated(keyId);
        stop.set(true);
        for (Thread client : clients) {
          client.join();
        }
        assertThat(refusals).isEmpty();
        assertThat(Files.readString(sftp.authorizedKeys("boats"))).doesNotContain(old.key().line());
        assertThat(Files.readAllBytes(memory.resolve("id_boats")))
            .isEqualTo(Files.readAllBytes(a.resolve("id_boats")));
        assertThat(Files.readString(a.resolve("id_boats.pub"))).doesNotContain(old.key().line());
        assertThat(Files.exists(a.resolve("id_first.pub"))).as("it is none of ours").isFalse();
        api()
            .get("/api/v1/seats")
            .then()
            .body("items.find { it.id == '" + nodeA + "' }.offers.size()", equalTo(2))
            .body(
                "items.find { it.id == '" + nodeA + "' }.offers[0]",
                equalTo(first.key().fingerprintText()))
            .body("items.find { it.id == '" + nodeB + "' }.fallsBackSeenAt", equalTo(null));
        assertThat(api().get("/api/v1/journal?limit=200").asString()).contains("seat.told");
      } finally {
        agent.destroy();
        agent.waitFor();
      }
    }
  }

  /** A seat that Tolvin does not reach: its holder is asked, and believed when it was used. */
  @Test
  void aHolderIsAskedAndBelievedByAUseNotByTheirWord(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    LocalSshServer sftp =
        LocalSshServer.at(directory.resolve("sftp"), Ports.free()).account("boats").start();
    try (sftp;
        SecretPair old = KeyPairMaker.ed25519(RANDOM)) {
      String at = attach(sftp, Map.of("logPath", sftp.log().toString()));
      sftp.authorize("boats", tolvinKey(at));
      String account = SweepTest.account(at, "boats", Map.of());
      String key = placed(old, account);
      String seat =
          api()
              .body(
                  Map.of(
                      "integrationId",
                      integration(),
                      "seats",
                      List.of(
                          Map.of(
                              "machine",
                              "isla's laptop",
                              "path",
                              "/home/isla/.ssh/id_boats",
                              "fingerprint",
                              old.key().fingerprintText(),
                              "mode",
                              "600",
                              "encrypted",
                              true))))
              .post("/api/v1/seats/found")
              .then()
              .statusCode(200)
              .extract()
              .path("items[0].id");
      api()
          .body(Map.of("address", "10.5.5.5"))
          .patch("/api/v1/seats/" + seat)
          .then()
          .statusCode(200);
      api()
          .get("/api/v1/journal?action=seat.changed&subject=" + seat)
          .then()
          .body("items.data", hasItem(containsString("\"after\":\"10.5.5.5\"")));
      api()
          .body(Map.of("takesEffect", "reload", "effectCommand", "true"))
          .patch("/api/v1/seats/" + seat)
          .then()
          .statusCode(422);
      tie(seat, account);
      String rotation = begun(key);
      String[] fresh = new String[1];
      Ports.await(
          "its holder is asked",
          Duration.ofSeconds(60),
          () -> {
            String asked =
                api().get("/api/v1/hand-overs").path("items.find { it.kind == 'supply' }.key");
            fresh[0] = api().get(rotation).path("rotation.newKey");
            return asked != null && asked.equals(fresh[0]);
          });
      String handOver =
          api()
              .get("/api/v1/hand-overs")
              .path("items.find { it.key == '" + fresh[0] + "' && it.kind == 'supply' }.id");
      String link =
          api()
              .post("/api/v1/hand-overs/" + handOver + "/package")
              .then()
              .statusCode(200)
              .body("text", containsString("put the new private key in place"))
              .extract()
              .path("link");
      io.restassured.RestAssured.given()
          .contentType("application/x-www-form-urlencoded")
          .formParam("name", "Isla")
          .formParam("word", "done")
          .post(link.substring(link.indexOf("/reply/")))
          .then()
          .statusCode(200);
      api()
          .get("/api/v1/seats")
          .then()
          .body(
              "items.find { it.id == '" + seat + "' }.offers[0]",
              equalTo(old.key().fingerprintText()));
      String used =
          java.time.Instant.now()
              + " quay sshd[1]: Accepted publickey for boats from 10.5.5.5 port 5 ssh2: ED25519 "
              + fresh[0];
      Caller.readUses(at, used);
      Ports.await(
          "it is believed",
          Duration.ofSeconds(60),
          () -> "confirmed".equals(api().get("/api/v1/hand-overs/" + handOver).path("state")));
      api()
          .get("/api/v1/seats")
          .then()
          .body("items.find { it.id == '" + seat + "' }.offers[0]", equalTo(fresh[0]));
      assertThat(Files.readString(sftp.authorizedKeys("boats"))).contains(old.key().line());
    }
  }

  private static String placed(SecretPair pair, String account) throws Exception {
    String key =
        api()
            .body(Map.of("text", pair.key().line("boats"), "identityId", Caller.addIdentity()))
            .post("/api/v1/keys")
            .path("id");
    Caller.place(key, account, "placed");
    return key;
  }

  private static String integration() {
    return api()
        .body(
            Map.of(
                "name", "boats-" + UUID.randomUUID(),
                "owner", "Shore systems",
                "environment", "production"))
        .post("/api/v1/integrations")
        .path("id");
  }

  private static String seat(String integration, Map<String, Object> seat, String account) {
    String id =
        api()
            .body(seat)
            .post("/api/v1/integrations/" + integration + "/seats")
            .then()
            .statusCode(200)
            .extract()
            .path("id");
    tie(id, account);
    return id;
  }

  private static void tie(String seat, String account) {
    api()
        .body(Map.of("accountId", account, "expectedInterval", "PT3S", "longestSession", "PT1S"))
        .post("/api/v1/seats/" + seat + "/ties")
        .then()
        .statusCode(200);
  }

  /** Starts a rotation, and gives where it is told of. */
  private static String begun(String key) throws Exception {
    String rotation =
        api()
            .body(Map.of("keyId", key, "watch", "PT4S", "reason", "test"))
            .post("/api/v1/rotations")
            .then()
            .statusCode(200)
            .extract()
            .path("rotation.id");
    String at = "/api/v1/rotations/" + rotation;
    Ports.await(
        "its pair is made, and it waits for a person",
        Duration.ofSeconds(30),
        () -> "generated".equals(api().get(at).path("rotation.stage")));
    api().body(Map.of()).post(at + "/run").then().statusCode(200);
    return at;
  }

  private static void rotated(String key) throws Exception {
    String at = begun(key);
    String[] last = new String[1];
    try {
      Ports.await(
          "the rotation is done",
          Duration.ofSeconds(90),
          () -> {
            last[0] = api().get(at).path("rotation").toString();
            return "done".equals(api().get(at).path("rotation.outcome"));
          });
    } catch (IllegalStateException e) {
      throw new AssertionError(last[0], e);
    }
  }

  private static void write(Path path, SecretPair pair) throws IOException {
    Files.write(path, OpenSshFile.write(pair, "boats", RANDOM));
    Files.setPosixFilePermissions(path, PosixFilePermissions.fromString("rw-------"));
  }

  private static Process start(String... command) throws IOException {
    return new ProcessBuilder(Unprivileged.command(List.of(command)))
        .redirectErrorStream(true)
        .start();
  }

  private static void run(String... command) throws Exception {
    Process process = start(command);
    String said = new String(process.getInputStream().readAllBytes());
    assertThat(process.waitFor()).as(said).isZero();
  }

  private static Thread goesOn(
      LocalSshServer server, String ssh, AtomicBoolean stop, List<String> refusals) {
    Thread client =
        new Thread(
            () -> {
              while (!stop.get()) {
                String said = signsIn(server, ssh);
                if (!said.isEmpty()) {
                  refusals.add(said);
                }
              }
            });
    client.start();
    return client;
  }

  /** What a client was told if it was refused; empty if it came in. */
  private static String signsIn(LocalSshServer server, String ssh) {
    try {
      Process process =
          start(
              "bash",
              "-c",
              ssh
                  + " -F none -p "
                  + server.port()
                  + " -o BatchMode=yes -o StrictHostKeyChecking=no -o"
                  + " UserKnownHostsFile=/dev/null -o LogLevel=ERROR boats@127.0.0.1 true");
      String said = new String(process.getInputStream().readAllBytes());
      boolean ended = process.waitFor(20, TimeUnit.SECONDS);
      return ended && process.exitValue() == 0 ? "" : "refused: " + said;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return "";
    }
  }
}
