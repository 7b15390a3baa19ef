package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Properties;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * A minute of strangers who want the service to stop: connections that trickle, sign-ins at once,
 * rubbish. Meanwhile somebody who signed in works, and keys are placed on a real server. The
 * strangers are a process of the lowest priority, as if they did not share the machine's cores.
 */
final class LoadBench {
  private static final int SECONDS = Integer.getInteger("load.seconds", 60);

  private final int port;
  private final Api api;
  private final Properties signIn;
  private final AtomicBoolean goesOn = new AtomicBoolean(true);

  private LoadBench(int port, Properties signIn) {
    this.port = port;
    this.signIn = signIn;
    this.api = new Api("http://127.0.0.1:" + port, signIn);
  }

  static void run(Path directory, Path root) throws Exception {
    Path own = Files.createDirectories(directory.resolve("load"));
    int port = Ports.free();
    try (LocalPostgres postgres = LocalPostgres.forTests();
        LocalSshServer sshd =
            LocalSshServer.at(directory.resolve("load-sshd"), Ports.free())
                .account("boats")
                .start()) {
      Process service = LocalService.start(postgres, own, root, port, "-Xmx384m");
      try {
        Properties signIn = LocalService.signIn(own);
        new LoadBench(port, signIn).measure(sshd, service.pid(), own.resolve("log"));
      } finally {
        service.destroy();
        service.waitFor(30, TimeUnit.SECONDS);
      }
    }
  }

  private void measure(LocalSshServer sshd, long pid, Path log) throws Exception {
    String account = account(sshd);
    for (int i = 0; i < 300; i++) {
      api.get("/today"); // warm
    }
    List<Double> quiet = calls(SECONDS / 4);
    Process strangers = Strangers.begin(port, SECONDS + 5);
    Thread.sleep(5000);
    AtomicInteger placed = new AtomicInteger();
    Thread worker = new Thread(() -> place(account, placed));
    worker.start();
    double cpuBefore = cpu(pid);
    List<Double> busy = calls(SECONDS);
    final double cpu = (cpu(pid) - cpuBefore) / SECONDS;
    goesOn.set(false);
    worker.join();
    String answers =
        new String(strangers.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
    System.out.printf(
        "%d s of %d connections that trickle, %d sign-ins at once and %d requests a second of"
            + " rubbish, by a process that yields to the service%n"
            + "  calls of somebody signed in: %d, 95th percentile %.0f ms (%.0f ms when it is quiet,"
            + " so %.1f times as long), longest %.0f ms%n"
            + "  keys placed and proven on a real server meanwhile: %d%n"
            + "  the service took %.2f of a core%n"
            + "  largest memory of the service: %s; out of memory: %s%n"
            + "  what the strangers were answered: %s%n",
        SECONDS,
        Strangers.SLOW,
        Strangers.SIGN_INS,
        Strangers.RUBBISH_A_SECOND,
        busy.size(),
        percentile(busy, 95),
        percentile(quiet, 95),
        percentile(busy, 95) / percentile(quiet, 95),
        percentile(busy, 100),
        placed.get(),
        cpu,
        largest(pid),
        Files.readString(log).contains("OutOfMemory"),
        answers);
  }

  private String account(LocalSshServer sshd) throws IOException {
    JsonNode at =
        api.post(
            "/destinations",
            Map.of(
                "name",
                "quay.example",
                "family",
                "sftp-server",
                "host",
                "127.0.0.1",
                "port",
                sshd.port(),
                "hostKeys",
                List.of(sshd.hostKey().line())));
    sshd.authorize("boats", at.path("tolvinKey").asText());
    return api.post(
            "/destinations/" + at.path("id").asText() + "/accounts",
            Map.of("login", "boats", "holds", 200))
        .path("id")
        .asText();
  }

  private List<Double> calls(int seconds) throws IOException, InterruptedException {
    List<Double> took = new ArrayList<>();
    long end = System.nanoTime() + TimeUnit.SECONDS.toNanos(seconds);
    String[] paths = {"/today", "/keys", "/destinations", "/journal", "/session"};
    for (int i = 0; System.nanoTime() < end; i++) {
      long begun = System.nanoTime();
      api.get(paths[i % paths.length]);
      took.add((System.nanoTime() - begun) / 1e6);
      Thread.sleep(20);
    }
    return took;
  }

  private static double percentile(List<Double> values, int percent) {
    List<Double> sorted = new ArrayList<>(values);
    Collections.sort(sorted);
    return sorted.get(Math.min(sorted.size() - 1, sorted.size() * percent / 100));
  }

  /** As the kernel counts it (proc(5), VmHWM). */
  private static String largest(long pid) throws IOException {
    return Files.readAllLines(Path.of("/proc/" + pid + "/status")).stream()
        .filter(line -> line.startsWith("VmHWM"))
        .map(line -> line.replaceAll("VmHWM:\\s+", ""))
        .findFirst()
        .orElse("unknown");
  }

  private static double cpu(long pid) {
    return ProcessHandle.of(pid)
        .flatMap(process -> process.info().totalCpuDuration())
        .map(taken -> taken.toMillis() / 1000.0)
        .orElse(0.0);
  }

  private void place(String account, AtomicInteger placed) {
    try {
      String identity =
          api.post(
                  "/identities",
                  Map.of(
                      "name",
                      "feed",
                      "kind",
                      "service-account",
                      "team",
                      "Shore",
                      "responsible",
                      "Isla Renwick"))
              .path("id")
              .asText();
      while (goesOn.get()) {
        String key = api.post("/made-keys", Map.of("identityId", identity)).path("id").asText();
        String placement =
            api.post("/placements", Map.of("keyId", key, "accountId", account, "title", "feed"))
                .path("id")
                .asText();
        while (goesOn.get()) {
          if (api.get("/placements/" + placement).path("state").asText().equals("proven")) {
            placed.incrementAndGet();
            break;
          }
          Thread.sleep(100);
        }
      }
    } catch (IOException e) {
      System.out.println("placing failed: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
