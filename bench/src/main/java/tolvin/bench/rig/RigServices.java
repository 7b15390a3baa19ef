package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import tolvin.standins.demo.Api;
import tolvin.standins.launch.Installation;
import tolvin.standins.launch.Launcher;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/**
 * Two instances of the service on one database, either of which may be dead at any moment. The
 * first one and the database were started by the start command, which may be killed too.
 */
final class RigServices implements AutoCloseable {
  static final int INSTANCES = 2;

  private final Path root;
  private final List<String> options;
  private final Installation installation;
  final LocalPostgres postgres;
  private final int port = Ports.freeRow();
  private final int secondPort = Ports.free();
  private Process second;

  /** Starts the database and the first instance. */
  RigServices(Path directory, Path root, List<String> options) throws IOException {
    this.root = root;
    this.options = options;
    this.installation = new Installation(directory.resolve("installation"));
    Runtime.getRuntime().addShutdownHook(new Thread(this::endAll));
    startCommand();
    this.postgres = LocalPostgres.start(installation.postgres(), port + 1);
  }

  /** Starts the second instance on the same database. */
  void startSecond() throws IOException {
    second =
        LocalService.start(
            postgres, installation.data(), root, secondPort, options.toArray(String[]::new));
  }

  /** What a user does: the start command goes on in the background once everything is ready. */
  private void startCommand() throws IOException {
    Path said = Files.createDirectories(installation.data()).resolve("start-command");
    ProcessBuilder command =
        new ProcessBuilder(
                ProcessHandle.current().info().command().orElse("java"),
                "-cp",
                System.getProperty("java.class.path"),
                Launcher.class.getName(),
                "--root",
                root.toString(),
                "--data",
                installation.data().toString(),
                "--port",
                String.valueOf(port),
                "--empty",
                "--detach")
            .redirectErrorStream(true)
            .redirectOutput(said.toFile());
    command.environment().put("TOLVIN_JAVA_OPTIONS", String.join(" ", options));
    if (ended(command.start()) != 0) {
      throw new IOException("the start command failed:\n" + Files.readString(said));
    }
  }

  private static int ended(Process process) throws IOException {
    try {
      return process.waitFor();
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  /**
   * Kills an instance as a power cut would, and starts it again. The start command ends all that is
   * its own when its service dies, the database included.
   */
  void killAndRestart(int instance) throws IOException {
    ProcessHandle victim = service(instance);
    victim.destroyForcibly();
    victim.onExit().join();
    revive();
  }

  /** Kills the start command alone; what it started goes on without it until the next start. */
  void killStartCommand(long millis) throws IOException, InterruptedException {
    ProcessHandle command = installation.process("start").orElseThrow();
    command.destroyForcibly();
    command.onExit().join();
    TimeUnit.MILLISECONDS.sleep(millis);
    startCommand();
  }

  private ProcessHandle service(int instance) throws IOException {
    return instance == 0
        ? installation.process("service").orElseThrow(() -> new IOException("it is not there"))
        : second.toHandle();
  }

  /** Stops an instance from running for a while, as a machine that is paused. */
  void pause(int instance, long millis) throws IOException, InterruptedException {
    long pid = service(instance).pid();
    signal(pid, "STOP");
    TimeUnit.MILLISECONDS.sleep(millis);
    signal(pid, "CONT");
  }

  static void signal(long pid, String name) throws IOException {
    ended(new ProcessBuilder("kill", "-" + name, String.valueOf(pid)).start());
  }

  /** Starts again whatever is dead. */
  void revive() throws IOException {
    Optional<ProcessHandle> command = installation.process("start");
    if (installation.process("service").isEmpty() && command.isPresent()) {
      command.get().onExit().join(); // it sees that its service is gone, and ends the rest
    }
    if (installation.process("start").isEmpty()) {
      startCommand();
    }
    if (second != null && !second.isAlive()) {
      startSecond();
    }
  }

  private Api api(int instance) throws IOException {
    return LocalService.api(installation.data(), instance == 0 ? port : secondPort);
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

  /**
   * Plans a rotation of a client's key.
   *
   * @param watch for how long the old key is watched, as ISO 8601 writes it
   * @return the rotation
   */
  String plan(RigEstate.Pair pair, String watch) throws IOException {
    String key =
        all("/keys?search=" + pair.identity()).stream()
            .filter(k -> k.path("identity").asText().equals(pair.identity()))
            .map(k -> k.path("id").asText())
            .findFirst()
            .orElseThrow(() -> new IOException(pair.identity() + " has no key"));
    return post("/rotations", Map.of("keyId", key, "watch", watch, "reason", "the rig rotates"))
        .at("/rotation/id")
        .asText();
  }

  /** Starts a planned rotation. */
  void run(String rotation) throws IOException {
    post("/rotations/" + rotation + "/run", null);
  }

  /** The rotations that have not ended. */
  List<JsonNode> underWay() throws IOException {
    return all("/rotations?ended=false");
  }

  /** CPU time that both instances have used, in seconds. */
  double cpuSeconds() throws IOException {
    double sum = 0;
    for (int i = 0; i < INSTANCES; i++) {
      if (i == 0 || second != null) {
        sum += service(i).info().totalCpuDuration().map(d -> d.toMillis() / 1000.0).orElse(0.0);
      }
    }
    return sum;
  }

  @Override
  public void close() {
    endAll();
  }

  /** Ends everything in order; what does not end is killed. */
  private void endAll() {
    try {
      List<ProcessHandle> all = new ArrayList<>();
      if (second != null) {
        all.add(second.toHandle());
      }
      installation.process("start").ifPresent(all::add);
      for (ProcessHandle process : all) {
        process.destroy();
      }
      for (ProcessHandle process : all) {
        process.onExit().completeOnTimeout(process, 60, TimeUnit.SECONDS).join();
        process.destroyForcibly();
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
