package tolvin.service.today;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.junit.jupiter.api.Test;
import tolvin.api.rotation.RotationView;
import tolvin.core.rotation.Direction;
import tolvin.core.rotation.Outcome;
import tolvin.core.rotation.Stage;

class DoneByItselfTest {
  private static RotationView ended(String identity, Outcome outcome, boolean byItself, int at) {
    Instant when = Instant.EPOCH.plusSeconds(at);
    return new RotationView(
        UUID.randomUUID(),
        UUID.randomUUID(),
        "old",
        null,
        null,
        identity,
        Stage.DONE,
        Direction.RUNNING,
        outcome,
        null,
        null,
        false,
        null,
        byItself,
        "r",
        "",
        Duration.ZERO,
        when,
        when,
        when);
  }

  /** In whatever order they come, the last one is shown with how many there were. */
  @Test
  void whatIsDoneByItselfAgainIsOneLine() {
    RotationView last = ended("fuel", Outcome.DONE, true, 9);
    RotationView back = ended("fuel", Outcome.ROLLED_BACK, true, 8);
    RotationView one = ended("fuel", Outcome.DONE, false, 7);
    RotationView other = ended("fuel", Outcome.DONE, false, 6);
    List<RotationView> all =
        List.of(
            last,
            one,
            ended("fuel", Outcome.DONE, true, 1),
            other,
            back,
            ended("fuel", Outcome.DONE, true, 5));
    assertThat(TodayResource.done(all))
        .extracting(d -> d.rotation())
        .containsExactly(last, back, one, other);
    assertThat(TodayResource.done(all)).extracting(d -> d.times()).containsExactly(3, 1, 1, 1);
  }
}
