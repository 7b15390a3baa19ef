package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.service.Caller.api;
import static tolvin.service.RealClients.count;
import static tolvin.service.RealClients.drills;
import static tolvin.service.RealClients.sftp;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import io.quarkus.test.junit.TestProfile;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PrivateFileHead;
import tolvin.service.RealClients.Client;
import tolvin.standins.local.Ports;

/**
 * A worker is lost at each point of a rotation: before its effect, after it, and when it is on
 * record. Another one takes over when the lease has run out, nothing breaks meanwhile, and nothing
 * is done twice.
 */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
@TestProfile(RealClients.ShortLease.class)
@Tag("short-lease")
class CrashPointsTest {
  private static final List<String> EFFECTS =
      List.of("generate", "look", "place", "prove", "supply", "withdraw", "clear");
  private static final List<String> MOMENTS = List.of("before", "after", "recorded");
  private static final int CLIENTS = 8;
  private static final Duration LONG = Duration.ofMinutes(6);

  @BeforeAll
  static void start() throws Exception {
    RealClients.start();
  }

  @Test
  void aWorkerThatIsLostAnywhereIsReplacedAndNothingBreaks() throws Exception {
    List<Client> clients = new ArrayList<>();
    List<String> rotations = new ArrayList<>();
    for (int i = 0; i < CLIENTS; i++) {
      Client client = Client.of(sftp, "crash-" + i);
      clients.add(client);
    }
    List<Path> points = new ArrayList<>();
    for (String effect : EFFECTS) {
      for (String moment : MOMENTS) {
        points.add(Files.writeString(drills.resolve(moment + ":" + effect), "drop"));
      }
    }
    for (Client client : clients) {
      rotations.add(planned(client));
    }
    try (var tidy = (AutoCloseable) () -> removeAll(points);
        Oracle oracle = new Oracle(clients)) {
      for (String rotation : rotations) {
        api().body(Map.of()).post(rotation + "/run").then().statusCode(200);
      }
      Ports.await(
          "every rotation came to its end",
          LONG,
          () -> {
            for (Client client : clients) {
              assertThat(client.signIn()).as(client.login()).isEmpty();
            }
            return rotations.stream()
                .allMatch(r -> "done".equals(api().get(r).path("rotation.outcome")));
          });
      assertThat(points).as("points that nobody came to").noneMatch(Files::exists);
      assertThat(oracle.broken).isEmpty();
      assertThat(oracle.looks).isGreaterThan(100);
    }
    for (Client client : clients) {
      assertThat(client.lines()).as(client.login()).hasSize(1);
      Ports.await("no file is left", LONG, () -> client.beside().isEmpty());
    }
    assertThat(count("select count(*) from reservation where lease_until = 'infinity'")).isZero();
  }

  private static void removeAll(List<Path> points) throws java.io.IOException {
    for (Path point : points) {
      Files.deleteIfExists(point);
    }
  }

  /** A rotation of a client's key; planning it may be what is interrupted, and it is there then. */
  private static String planned(Client client) {
    var answer =
        api()
            .body(Map.of("keyId", client.key(), "watch", "PT1S", "reason", "test"))
            .post("/api/v1/rotations");
    if (answer.statusCode() == 200) {
      return "/api/v1/rotations/" + answer.path("rotation.id");
    }
    assertThat(answer.statusCode()).as(answer.asString()).isEqualTo(500);
    return "/api/v1/rotations/"
        + api().get("/api/v1/rotations?key=" + client.key()).path("items[0].id");
  }

  /** Reads servers and seats all the time and knows nothing else. */
  private static final class Oracle implements AutoCloseable {
    private final List<Client> clients;
    private final Thread thread = new Thread(this::look, "oracle");
    private volatile boolean stop;
    private volatile int looks;
    private volatile String broken = "";

    Oracle(List<Client> clients) {
      this.clients = clients;
      thread.start();
    }

    private void look() {
      while (!stop) {
        for (Client client : clients) {
          try {
            look(client);
          } catch (Exception e) {
            broken = client.login() + " cannot be read: " + e;
          }
        }
        looks++;
      }
    }

    /** The seat is read on both sides of the account, since the two cannot be read at once. */
    private void look(Client client) throws Exception {
      List<Fingerprint> before = offered(client);
      byte[] bytes = Files.readAllBytes(client.server().authorizedKeys(client.login()));
      AuthorizedKeys accepted = AuthorizedKeys.of(bytes);
      List<Fingerprint> after = offered(client);
      if (Stream.of(before, after)
          .noneMatch(keys -> keys.stream().anyMatch(k -> !accepted.linesOf(k).isEmpty()))) {
        broken = client.login() + " offers " + before + ", which is not accepted";
      }
    }

    private static List<Fingerprint> offered(Client client) throws Exception {
      byte[] file = Files.readAllBytes(client.seat());
      return List.of(PrivateFileHead.publicKey(java.util.Arrays.copyOf(file, 163)).fingerprint());
    }

    @Override
    public void close() throws InterruptedException {
      stop = true;
      thread.join();
    }
  }
}
