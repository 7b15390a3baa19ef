package tolvin.bench;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import tolvin.bench.rig.Rig;

/**
 * The rig, short: every kind of fault once, with a seed of its own. {@code bench/run rig} goes on.
 */
class RigTest {
  @Test
  void everyFaultOnceBreaksNothing() throws Exception {
    Path directory = Files.createTempDirectory("tolvin-rig");
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try {
      Map<String, Long> counts =
          Rig.run(
              directory,
              Path.of(System.getProperty("tolvin.root")),
              new Rig.Settings(
                  8, Rig.UNTIL_EVERY_FAULT_HAPPENED, 1500, 4, Duration.ofSeconds(8), 4));
      Rig.print(counts);
      assertThat(Rig.broken(counts)).as("%s", counts).isEmpty();
      assertThat(counts.get("rotations done")).isPositive();
      assertThat(counts.get("sign-ins")).isGreaterThan(50);
      assertThat(counts.keySet().stream().filter(what -> what.startsWith("fault ")))
          .as("kinds of faults")
          .hasSize(13);
    } finally {
      try (Stream<Path> all = Files.walk(directory)) {
        all.sorted(java.util.Comparator.reverseOrder()).forEach(path -> path.toFile().delete());
      }
    }
  }
}
