package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/** Two instances of the service on one database, either of which may be dead at any moment. */
final class RigServices implements AutoCloseable {
  static final int INSTANCES = 2;

  private final Path directory;
  private final Path root;
  private final List<String> options;
  final LocalPostgres postgres;
  private final int[] ports = new int[INSTANCES];
  private final Process[] processes = new Process[INSTANCES];

  RigServices(Path directory, Path root, List<String> options) throws IOException {
    this.directory = directory;
    this.root = root;
    this.options = options;
    this.postgres = LocalPostgres.start(directory.resolve("postgres"), Ports.free());
    for (int i = 0; i < INSTANCES; i++) {
      ports[i] = Ports.free();
    }
  }

  void start(int instance) throws IOException {
    processes[instance] =
        LocalService.launch(
            postgres, directory, root, ports[instance], options.toArray(String[]::new));
    LocalService.await(processes[instance], ports[instance]);
  }

  /** Kills an instance as a power cut would, and starts it again. */
  void killAndRestart(int instance) throws IOException {
    processes[instance].destroyForcibly().onExit().join();
    start(instance);
  }

  /** Stops an instance from running for a while, as a machine that is paused. */
  void pause(int instance, long millis) throws IOException, InterruptedException {
    signal(processes[instance].pid(), "STOP");
    TimeUnit.MILLISECONDS.sleep(millis);
    signal(processes[instance].pid(), "CONT");
  }

  static void signal(long pid, String name) throws IOException {
    try {
      new ProcessBuilder("kill", "-" + name, String.valueOf(pid)).start().waitFor();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /** Starts again whatever died by itself. */
  void revive() throws IOException {
    for (int i = 0; i < INSTANCES; i++) {
      if (!processes[i].isAlive()) {
        start(i);
      }
    }
  }

  private Api api(int instance) throws IOException {
    return LocalService.api(directory, ports[instance]);
  }

  Api api() throws IOException {
    return api(0);
  }

  /** A request to whichever instance answers. */
  private interface Call {
    JsonNode on(Api api) throws IOException;
  }

  private JsonNode any(Call call) throws IOException {
    IOException last = null;
    for (int i = 0; i < INSTANCES; i++) {
      try {
        return call.on(api(i));
      } catch (IOException e) {
        last = e;
      }
    }
    throw last;
  }

  JsonNode get(String path) throws IOException {
    return any(api -> api.get(path));
  }

  JsonNode post(String path, Map<String, ?> body) throws IOException {
    return any(api -> api.post(path, body));
  }

  /** All items of a list, page by page. */
  List<JsonNode> all(String path) throws IOException {
    List<JsonNode> items = new ArrayList<>();
    String after = null;
    do {
      String separator = path.contains("?") ? "&" : "?";
      JsonNode page =
          get(path + separator + "limit=200" + (after == null ? "" : "&after=" + after));
      page.path("items").forEach(items::add);
      after = page.path("next").asText(null);
    } while (after != null && !after.equals("null"));
    return items;
  }

  /** CPU time that both instances have used, in seconds. */
  double cpuSeconds() {
    double sum = 0;
    for (Process process : processes) {
      if (process != null) {
        sum += process.info().totalCpuDuration().map(d -> d.toMillis() / 1000.0).orElse(0.0);
      }
    }
    return sum;
  }

  @Override
  public void close() throws Exception {
    for (Process process : processes) {
      if (process != null) {
        process.destroy();
        if (!process.waitFor(30, TimeUnit.SECONDS)) {
          process.destroyForcibly();
        }
      }
    }
    postgres.close();
  }
}
