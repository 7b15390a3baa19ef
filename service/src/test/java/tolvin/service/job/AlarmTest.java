package tolvin.service.job;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Queue;
import java.util.Random;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.Test;
import tolvin.standins.local.Ports;

/** The alarm, and the clock that it goes by. */
class AlarmTest {
  private static final int MOMENTS = 500;
  private static final Duration HORIZON = Duration.ofSeconds(2);

  @Test
  void ringsForEveryMomentAndNeverOnlyBeforeIt() {
    InstalledClock clock = new InstalledClock(Instant::now, Duration.ofSeconds(5));
    Queue<Instant> rings = new ConcurrentLinkedQueue<>();
    Random random = new Random(3);
    List<Instant> moments = new ArrayList<>();
    try (Alarm alarm = new Alarm(() -> rings.add(clock.now()), clock, HORIZON)) {
      for (int i = 0; i < MOMENTS; i++) {
        Instant moment = clock.now().plusMillis(random.nextInt(600) - 100);
        moments.add(moment);
        alarm.set(moment);
      }
      Instant last = moments.stream().max(Instant::compareTo).orElseThrow();
      Ports.await(
          "a ring after the last moment",
          Duration.ofSeconds(30),
          () -> rings.stream().anyMatch(ring -> !ring.isBefore(last)));
      alarm.set(clock.now().plus(HORIZON.multipliedBy(2)));
      assertThat(rings.size()).as("what is due together rings once").isLessThan(MOMENTS / 4);
    }
  }

  /** Whatever waits by a clock that fails would wait for ever. */
  @Test
  void aClockGoesOnWhileTheDatabaseIsAway() {
    AtomicBoolean isAway = new AtomicBoolean();
    Instant begun = Instant.now();
    InstalledClock clock =
        new InstalledClock(
            () -> {
              if (isAway.get()) {
                throw new IllegalStateException("away");
              }
              return Instant.now();
            },
            Duration.ZERO);
    assertThat(clock.now()).isBetween(begun, Instant.now());
    isAway.set(true);
    for (int i = 0; i < MOMENTS; i++) {
      Instant before = Instant.now();
      assertThat(clock.now()).isBetween(before.minusMillis(100), Instant.now().plusMillis(100));
    }
  }
}
