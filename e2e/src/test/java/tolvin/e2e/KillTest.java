package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.key.PrivateFileHead;
import tolvin.standins.demo.Api;
import tolvin.standins.demo.FerryClients;
import tolvin.standins.demo.Skerrymoor;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/**
 * Of two instances on one database one is killed in the middle of a rotation. The other takes over,
 * and an oracle that reads server and seat all the time finds the law unbroken. That a worker may
 * be lost at any point is tested inside one service.
 */
class KillTest {
  /** When: before (recorded, not done), after (done, not recorded). */
  private static final List<String> POINTS =
      List.of("after:place", "after:supply", "before:withdraw");

  private static final String[] OPTIONS = {
    "-Xmx300m", "-XX:TieredStopAtLevel=1", "-Dtolvin.runner.lease=PT6S"
  };
  private static final Path ROOT = Path.of(System.getProperty("tolvin.root"));

  @Test
  void killedAtAnyStepItGoesOnAndNothingBreaks() throws Exception {
    Path directory = Site.directory();
    int port = Ports.freeRow();
    Path drills = Files.createDirectories(directory.resolve("drills"));
    try (LocalPostgres postgres = LocalPostgres.forTests();
        Skerrymoor demo = Skerrymoor.start(directory.resolve("demo"), port + 2, port + 3)) {
      Process[] both = {service(postgres, directory, port), null};
      Api[] apis = {LocalService.api(directory, port), LocalService.api(directory, port + 1)};
      demo.tell(apis[0]);
      both[1] = service(postgres, directory, port + 1);
      try (FerryClients clients =
              new FerryClients(directory.resolve("uploads.txt"), demo.uploads());
          Oracle oracle = new Oracle(demo)) {
        for (String point : POINTS) {
          Path drill = Files.writeString(drills.resolve(point), "halt");
          startRotation(apis[0]);
          Ports.await(
              "one was killed at " + point,
              Duration.ofSeconds(120),
              () -> !both[0].isAlive() || !both[1].isAlive());
          int killed = both[0].isAlive() ? 1 : 0;
          assertThat(both[killed].exitValue()).as("at %s", point).isEqualTo(137);
          assertThat(drill).doesNotExist();
          Ports.await(
              "the other one brings it to its end",
              Duration.ofSeconds(120),
              () -> unchecked(() -> isIdle(apis[1 - killed])));
          assertThat(both[1 - killed].isAlive()).as("the other one, at %s", point).isTrue();
          oracle.mustHold(point);
          assertThat(clients.failures()).as(point).isEmpty();
          both[killed] = service(postgres, directory, port + killed);
        }
        Api api = apis[0];
        end(both[0]);
        end(both[1]);
        Process last = startedBeforeItsDatabase(postgres, directory, port);
        startRotation(api);
        Ports.await(
            "everything comes to its end",
            Duration.ofSeconds(120),
            () -> unchecked(() -> isIdle(api)));
        JsonNode rotations = api.get("/rotations?limit=100&ended=true").get("items");
        assertThat(rotations).allMatch(r -> r.get("outcome").asText().equals("done"));
        assertThat(rotations)
            .as("the drills, beside those that the demo's calendar began")
            .filteredOn(r -> r.get("reason").asText().equals("drill"))
            .hasSize(POINTS.size() + 1);
        assertThat(Files.readAllLines(demo.sftp().authorizedKeys("timetable")))
            .as("one key is left on the account")
            .filteredOn(line -> line.contains("tolvin:"))
            .hasSize(1);
        assertThat(api.get("/keys?search=timetable-feed").get("items"))
            .as("every key that was replaced is out of use")
            .hasSize(1);
        Ports.await(
            "the journal is sealed",
            Duration.ofSeconds(20),
            () -> unchecked(() -> api.get("/journal/check")).get("unsealed").asInt() == 0);
        assertThat(api.get("/journal/check").get("holds").asBoolean()).isTrue();
        noPrivateHalfIsAnywhereElse(demo, postgres, directory);
        oracle.mustHold("the end");
        assertThat(oracle.looks).isGreaterThan(500);
        assertThat(clients.failures()).isEmpty();
        assertThat(clients.succeeded("timetable")).isGreaterThan(60);
        end(last);
      }
    }
  }

  /** A machine that starts anew may start the service before the database. */
  private static Process startedBeforeItsDatabase(LocalPostgres postgres, Path directory, int port)
      throws IOException {
    postgres.stop();
    Process early = LocalService.launch(postgres, directory, ROOT, port, OPTIONS);
    Ports.await(
        "it waits for its database",
        Duration.ofSeconds(90),
        () -> unchecked(() -> Files.readString(directory.resolve("log"))).contains("Retrying in"));
    postgres.start();
    LocalService.await(early, port);
    assertThat(early.isAlive()).isTrue();
    return early;
  }

  /** The private key that lies in the seat now is looked for in everything that was written. */
  private static void noPrivateHalfIsAnywhereElse(
      Skerrymoor demo, LocalPostgres postgres, Path directory) throws IOException {
    List<String> file = Files.readAllLines(demo.uploads().get(0).keyFile());
    String dump = postgres.dump();
    String log = Files.readString(directory.resolve("log"));
    assertThat(dump).contains("coffer_entry", "placement.placed");
    assertThat(log).contains("Failure drill");
    for (String line : file.subList(3, file.size() - 1)) {
      assertThat(dump).doesNotContain(line);
      assertThat(log).doesNotContain(line);
    }
  }

  /** Begins a rotation of the timetable's key. */
  private static void startRotation(Api api) throws Exception {
    String key = api.get("/keys?search=timetable-feed").at("/items/0/id").asText();
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("keyId", key);
    wish.put("watch", "PT1S");
    wish.put("reason", "drill");
    String id = api.post("/rotations", wish).at("/rotation/id").asText();
    api.post("/rotations/" + id + "/run", null);
  }

  private static boolean isIdle(Api api) throws IOException {
    return api.get("/rotations?ended=false").get("items").isEmpty();
  }

  /**
   * Reads server and seat all the time and knows nothing else: some key offered must be accepted.
   */
  private static final class Oracle implements AutoCloseable {
    private final Skerrymoor demo;
    private final Thread thread;
    private volatile boolean stop;
    private volatile String broken = "";
    volatile int looks;

    Oracle(Skerrymoor demo) {
      this.demo = demo;
      this.thread = new Thread(this::look, "oracle");
      thread.start();
    }

    private void look() {
      while (!stop) {
        try {
          for (FerryClients.Upload upload : demo.uploads()) {
            // The seat is read on both sides of the account, since the two cannot be read at once.
            var before = offered(upload.keyFile());
            var accepted =
                AuthorizedKeys.of(Files.readAllBytes(demo.sftp().authorizedKeys(upload.login())));
            var after = offered(upload.keyFile());
            if (accepted.linesOf(before).isEmpty() && accepted.linesOf(after).isEmpty()) {
              broken = upload.name() + " offers " + before + ", which is not accepted";
            }
          }
          looks++;
          TimeUnit.MILLISECONDS.sleep(5);
        } catch (IOException e) {
          broken = "cannot be read: " + e;
        } catch (InterruptedException e) {
          return;
        }
      }
    }

    private static tolvin.core.key.Fingerprint offered(Path file) throws IOException {
      byte[] content = Files.readAllBytes(file);
      try {
        return PrivateFileHead.publicKey(java.util.Arrays.copyOf(content, 163)).fingerprint();
      } catch (tolvin.core.key.RefusedException e) {
        throw new IOException(e);
      }
    }

    void mustHold(String when) {
      assertThat(broken).as(when).isEmpty();
    }

    @Override
    public void close() {
      stop = true;
      thread.interrupt();
    }
  }

  private static Process service(LocalPostgres postgres, Path directory, int port)
      throws IOException {
    return LocalService.start(postgres, directory, ROOT, port, options(directory));
  }

  private static String[] options(Path directory) {
    String[] options = Arrays.copyOf(OPTIONS, OPTIONS.length + 1);
    options[OPTIONS.length] = "-Dtolvin.drill=" + directory.resolve("drills");
    return options;
  }

  private static void end(Process process) throws InterruptedException {
    process.destroy();
    assertThat(process.waitFor(60L * Ports.PATIENCE, TimeUnit.SECONDS)).isTrue();
  }

  private static <T> T unchecked(java.util.concurrent.Callable<T> call) {
    try {
      return call.call();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }
}
