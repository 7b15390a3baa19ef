package tolvin.bench;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Comparator;
import java.util.logging.Level;
import java.util.logging.Logger;
import java.util.stream.Stream;

/** Runs all benchmarks. */
public final class Bench {
  private Bench() {}

  /** Runs them; the argument is the project's root. */
  public static void main(String[] arguments) throws Exception {
    Logger.getLogger("").setLevel(Level.WARNING);
    Path directory = Files.createTempDirectory("tolvin-bench");
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try {
      ReadingBench.run(directory, System.getProperty("java.class.path"));
      RotationBench.run(directory, Path.of(arguments[0]));
    } finally {
      delete(directory);
    }
    System.exit(0);
  }

  private static void delete(Path directory) throws IOException {
    try (Stream<Path> all = Files.walk(directory)) {
      all.sorted(Comparator.reverseOrder()).forEach(path -> path.toFile().delete());
    }
  }
}
