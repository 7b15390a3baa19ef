package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Unprivileged;

/**
 * Many rotations that are started together, with their clients signing in all the time, against a
 * careful shell script that checks less, four at a time, on the same servers in the same run.
 */
public final class Throughput {
  private static final int SILENCE = 10;
  private static final double CLIENT_SECONDS = 5;

  /** The last one is measured: a service that runs for weeks is not one that was just started. */
  private static final int ROUNDS = 4;

  private Throughput() {}

  /** Runs it. */
  public static void run(Path directory, Path root, int accounts) throws Exception {
    try (RigEstate estate = new RigEstate(directory, root, accounts);
        RigServices services =
            new RigServices(directory, root, List.of("-Xmx384m", "-Dtolvin.runner.lease=PT60S"))) {
      estate.tell(services.api());
      estate.watch(CLIENT_SECONDS);
      measured(services, estate, 1); // the clients come to their interval
      double seconds = 0;
      for (int round = 0; round < ROUNDS; round++) {
        seconds = measured(services, estate, accounts);
      }
      JsonNode watched = estate.stopWatching();
      SignIns signIns = SignIns.of(estate);
      System.out.printf(
          "  sign-ins meanwhile %d; failed: %s; law broken: %d%n",
          signIns.all(), signIns.failed(), watched.path("broken").asLong());
      double script = script(estate, root);
      System.out.printf(
          "  what is ours of the last round (all but the client's interval and the silence), in times"
              + " the script: %.2f%n",
          (seconds - CLIENT_SECONDS - SILENCE) / script);
    }
  }

  private static double measured(RigServices services, RigEstate estate, int accounts)
      throws Exception {
    List<String> planned = new ArrayList<>();
    for (RigEstate.Pair pair : estate.pairs.subList(0, accounts)) {
      planned.add(services.plan(pair, "PT" + SILENCE + "S"));
    }
    double cpu = services.cpuSeconds();
    long begun = System.nanoTime();
    for (String id : planned) {
      services.run(id);
    }
    Set<String> running = new HashSet<>(planned);
    while (!running.isEmpty()) {
      TimeUnit.MILLISECONDS.sleep(500);
      Set<String> still = new HashSet<>();
      services.underWay().forEach(r -> still.add(r.path("id").asText()));
      running.retainAll(still);
    }
    double seconds = (System.nanoTime() - begun) / 1e9;
    System.out.printf(
        "%d rotations started together: %.1f s (the client's %.0f s and %d s of silence are %.0f s"
            + " of it); CPU of the service %.2f s for each%n",
        planned.size(),
        seconds,
        CLIENT_SECONDS,
        SILENCE,
        CLIENT_SECONDS + SILENCE,
        (services.cpuSeconds() - cpu) / planned.size());
    return seconds;
  }

  private static double script(RigEstate estate, Path root) throws Exception {
    Path keeper = key(estate, "keeper-key");
    Path hostKey = key(estate, "host-key");
    String keeperLine = Files.readString(Path.of(keeper + ".pub")).strip();
    String hostLine = Files.readString(Path.of(hostKey + ".pub")).strip();
    for (LocalSshServer server : estate.servers) {
      server.authorize("keeper", keeperLine);
    }
    for (RigEstate.Pair pair : estate.pairs) {
      pair.host().authorize(pair.login(), hostLine);
    }
    ExecutorService four = Executors.newFixedThreadPool(4);
    long begun = System.nanoTime();
    List<Future<?>> all = new ArrayList<>();
    for (RigEstate.Pair pair : estate.pairs) {
      all.add(
          four.submit(
              () -> {
                rotate(root, pair, keeper, hostKey);
                return null;
              }));
    }
    for (Future<?> one : all) {
      one.get();
    }
    double seconds = (System.nanoTime() - begun) / 1e9;
    four.shutdown();
    System.out.printf(
        "  a careful shell script, four at a time, without waiting for clients or silence: %.1f s;"
            + " 5 connections for each%n",
        seconds);
    return seconds;
  }

  private static void rotate(Path root, RigEstate.Pair pair, Path keeper, Path hostKey)
      throws IOException {
    RigEstate.run(
        Unprivileged.command(
                List.of(
                    root.resolve("bench/rig/careful.sh").toString(),
                    pair.login(),
                    String.valueOf(pair.server().port()),
                    keeper.toString(),
                    pair.keys().toString(),
                    String.valueOf(pair.host().port()),
                    hostKey.toString(),
                    pair.seat().toString()))
            .toArray(String[]::new));
  }

  private static Path key(RigEstate estate, String name) throws IOException {
    Path directory = Files.createDirectories(estate.directory.resolve("script"));
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    Path file = directory.resolve(name);
    RigEstate.run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", file.toString());
    Unprivileged.own(directory);
    return file;
  }
}
