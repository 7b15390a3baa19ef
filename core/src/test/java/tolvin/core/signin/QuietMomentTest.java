package tolvin.core.signin;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

class QuietMomentTest {
  private static final Instant NOW = Instant.parse("2026-11-29T02:00:00Z");

  /**
   * Seconds since its last sign-in, how often it signs in, how long to wait at most; -1 is unknown.
   */
  @ParameterizedTest
  @CsvSource({
    "-1, -1, 0", // nobody knows
    "3, -1, 0",
    "0.1, 0.5, 0", // all the time
    "0.1, 5, 8", // in the middle of it, perhaps
    "3, 5, 8", // the next one is near
    "4.9, 5, 8",
    "60, 5, 0", // it stopped
    "10, 60, 0", // done, and the next one is far
    "0.5, 60, 8", // perhaps still at it
    "58, 60, 8", // about to begin
    "1, 1, 4",
    "7200, 86400, 0",
  })
  void aClientIsWaitedForOnlyWhereItHelps(double since, double interval, long most) {
    assertThat(
            QuietMoment.patience(
                since < 0 ? Optional.empty() : Optional.of(NOW.minus(seconds(since))),
                interval < 0 ? Optional.empty() : Optional.of(seconds(interval)),
                NOW))
        .isEqualTo(Duration.ofSeconds(most));
  }

  private static Duration seconds(double seconds) {
    return Duration.ofMillis((long) (seconds * 1000));
  }
}
