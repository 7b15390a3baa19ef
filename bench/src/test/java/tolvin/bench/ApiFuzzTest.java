package tolvin.bench;

import static org.assertj.core.api.Assertions.assertThat;

import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A part of what the benchmark throws at the API, with a seed of its own. */
class ApiFuzzTest {
  @Test
  void noRequestMakesTheServiceFailOrTellItsInsides(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    ApiFuzz.Outcome outcome =
        ApiFuzz.against(directory, Path.of(System.getProperty("tolvin.root")), 900, 7);
    assertThat(outcome.found()).isEmpty();
    assertThat(outcome.answered()).isGreaterThan(40);
    assertThat(outcome.statuses().keySet()).contains(200, 401, 403, 404, 422);
  }
}
