package tolvin.bench;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import org.junit.jupiter.api.Assertions;
import org.junit.jupiter.api.Test;

/** A few seconds of what the benchmark does for minutes. */
class FuzzTest {
  @Test
  void readersGiveKeysQuestionsOrReasonsForWhateverComes() {
    Fuzz.Seen seen =
        Assertions.assertTimeoutPreemptively(
            Duration.ofMinutes(30), () -> Fuzz.run(8_000, System.nanoTime()));
    assertThat(seen.keys()).isGreaterThan(100);
    assertThat(seen.refused()).isGreaterThan(100);
    assertThat(seen.questions()).isPositive();
  }
}
