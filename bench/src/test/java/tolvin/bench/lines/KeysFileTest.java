package tolvin.bench.lines;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.core.authorized.Admission.Kind;
import tolvin.core.server.ServerKind;

/** A part of what the benchmark holds against this machine's servers. */
class KeysFileTest {
  @TempDir Path directory;

  @ParameterizedTest
  @CsvSource({"OPENSSH, 2000", "DROPBEAR, 2000", "PROFTPD, 300"})
  void linesLetInWhoTheServerLetsIn(ServerKind server, int count) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    KeysFileBench.Outcome outcome = KeysFileBench.compared(server, directory, count, 11);
    assertThat(outcome.wrong()).isEmpty();
    assertThat(outcome.letIn()).isBetween(count / 8, count * 3 / 4);
    assertThat(outcome.said().get(Kind.IGNORED)).isGreaterThan(count / 8);
    assertThat(outcome.said().get(Kind.DOUBTFUL)).isBetween(1, count / 5);
  }
}
