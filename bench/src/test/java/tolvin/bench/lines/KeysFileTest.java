package tolvin.bench.lines;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.core.authorized.Admission.Kind;

/** A part of what the benchmark holds against this machine's OpenSSH server. */
class KeysFileTest {
  private static final int LINES = 2000;

  @Test
  void linesLetInWhoTheServerLetsIn(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    KeysFileBench.Outcome outcome = KeysFileBench.compared(directory, LINES, 11);
    assertThat(outcome.wrong()).isEmpty();
    assertThat(outcome.letIn()).isBetween(LINES / 5, LINES / 2);
    assertThat(outcome.said().get(Kind.IGNORED)).isGreaterThan(LINES / 4);
    assertThat(outcome.said().get(Kind.DOUBTFUL)).isBetween(1, LINES / 10);
  }
}
