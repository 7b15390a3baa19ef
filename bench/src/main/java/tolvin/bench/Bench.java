package tolvin.bench;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.Map;
import java.util.Set;
import java.util.logging.Level;
import java.util.logging.Logger;
import java.util.stream.Stream;
import tolvin.bench.lines.KeysFileBench;
import tolvin.bench.rig.Exchanges;
import tolvin.bench.rig.History;
import tolvin.bench.rig.Rig;
import tolvin.bench.rig.Throughput;

/** Runs benchmarks: those that are named, or all of them. */
public final class Bench {
  private static final int MODULI = 100_000;

  private Bench() {}

  private interface Part {
    void run() throws Exception;
  }

  /** Runs them; the first argument is the project's root, the others are names. */
  public static void main(String[] arguments) throws Exception {
    Logger.getLogger("").setLevel(Level.WARNING);
    Path root = Path.of(arguments[0]);
    Path directory = Files.createTempDirectory("tolvin-bench");
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    Map<String, Part> parts = new LinkedHashMap<>();
    parts.put("reading", () -> ReadingBench.run(directory, System.getProperty("java.class.path")));
    parts.put("verdicts", VerdictBench::run);
    parts.put("intake", () -> IntakeBench.run(directory, root));
    parts.put("rotation", () -> RotationBench.run(directory, root));
    parts.put("rig", () -> rig(directory, root));
    parts.put(
        "together", () -> Throughput.run(directory, root, Integer.getInteger("together.keys", 40)));
    parts.put(
        "exchanges",
        () ->
            Exchanges.run(
                directory,
                root,
                Integer.getInteger("exchanges.clients", 10),
                Integer.getInteger("exchanges.count", 500)));
    parts.put("history", () -> History.run(directory, root));
    parts.put("estate", () -> EstateBench.run(directory, root));
    parts.put("sweep", () -> SweepBench.run(directory, root));
    parts.put("registering", () -> SweepBench.registering(directory, root));
    parts.put("fuzz", () -> Fuzz.main(new String[0]));
    parts.put("lines", () -> KeysFileBench.run(directory));
    parts.put("api-fuzz", () -> ApiFuzz.run(directory, root));
    parts.put("load", () -> LoadBench.run(directory, root));
    parts.put("shared-factors", () -> SharedFactorBench.run(MODULI));
    Set<String> wanted =
        arguments.length == 1
            ? parts.keySet()
            : new LinkedHashSet<>(Arrays.asList(arguments).subList(1, arguments.length));
    try {
      for (String name : wanted) {
        if (!parts.containsKey(name)) {
          System.err.println("There is no benchmark " + name + "; there are " + parts.keySet());
          System.exit(2);
        }
        parts.get(name).run();
      }
    } finally {
      delete(directory);
    }
    System.exit(0);
  }

  /** An hour of rotations and faults, or as many minutes as -Drig.minutes says. */
  private static void rig(Path directory, Path root) throws Exception {
    Rig.Settings settings =
        new Rig.Settings(
            Integer.getInteger("rig.accounts", 40),
            Integer.getInteger("rig.minutes", 60) * 60L,
            Integer.getInteger("rig.pause", 6000),
            Double.parseDouble(System.getProperty("rig.client-seconds", "5")),
            Duration.ofSeconds(Integer.getInteger("rig.lease", 20)),
            Long.getLong("rig.seed", 1L));
    Map<String, Long> counts = Rig.run(directory, root, settings);
    System.out.println("The rig, " + settings + ":");
    Rig.print(counts);
    if (!Rig.broken(counts).isEmpty()) {
      throw new IllegalStateException("not kept: " + Rig.broken(counts));
    }
  }

  private static void delete(Path directory) throws IOException {
    try (Stream<Path> all = Files.walk(directory)) {
      all.sorted(Comparator.reverseOrder()).forEach(path -> path.toFile().delete());
    }
  }
}
