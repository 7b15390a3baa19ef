package tolvin.service.job;

import java.time.Duration;
import java.time.Instant;
import java.util.concurrent.ConcurrentSkipListSet;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;

/** Rings when something is due, a few milliseconds late rather than early. */
final class Alarm implements AutoCloseable {
  /** What is due within so many milliseconds is done in one go. */
  private static final long AT_ONCE = 10;

  private final Runnable ring;
  private final InstalledClock clock;
  private final Duration horizon;
  private final ConcurrentSkipListSet<Long> set = new ConcurrentSkipListSet<>();
  private final ScheduledExecutorService timer =
      Executors.newSingleThreadScheduledExecutor(task -> new Thread(task, "job-alarm"));

  /**
   * None is set yet.
   *
   * @param ring what is done
   * @param horizon what is due later than that is come to anyway
   */
  Alarm(Runnable ring, InstalledClock clock, Duration horizon) {
    this.ring = ring;
    this.clock = clock;
    this.horizon = horizon;
  }

  /** Rings at a moment. */
  void set(Instant when) {
    long now = clock.now().toEpochMilli();
    long due = Math.max(when.toEpochMilli(), now);
    long slot = (due / AT_ONCE + 1) * AT_ONCE;
    if (due - now <= horizon.toMillis() && set.add(slot) && !timer.isShutdown()) {
      timer.schedule(() -> ring(slot), slot - now, TimeUnit.MILLISECONDS);
    }
  }

  private void ring(long slot) {
    set.remove(slot);
    ring.run();
  }

  @Override
  public void close() {
    timer.shutdownNow();
  }
}
