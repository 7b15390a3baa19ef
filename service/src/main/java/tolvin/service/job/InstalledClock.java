package tolvin.service.job;

import java.time.Duration;
import java.time.Instant;
import java.util.function.Supplier;

/** The installation's clock, which is the database's, asked only now and then; it never fails. */
final class InstalledClock {
  private final Supplier<Instant> database;
  private final long askAgain;
  private volatile Asked last;

  /** What it showed, and when by this machine's own count of nanoseconds. */
  private record Asked(Instant showed, long at) {}

  /**
   * A clock.
   *
   * @param database what the database's clock shows
   * @param askAgain how long what it showed is believed
   */
  InstalledClock(Supplier<Instant> database, Duration askAgain) {
    this.database = database;
    this.askAgain = askAgain.toNanos();
  }

  /** Now; while the database is away, by what it showed last. */
  Instant now() {
    Asked known = last;
    if (known == null || System.nanoTime() - known.at() > askAgain) {
      known = ask(known);
      last = known;
    }
    return known.showed().plusNanos(System.nanoTime() - known.at());
  }

  private Asked ask(Asked known) {
    long before = System.nanoTime();
    try {
      return new Asked(database.get(), before);
    } catch (RuntimeException away) {
      if (known == null) {
        throw away;
      }
      return new Asked(known.showed().plusNanos(before - known.at()), before);
    }
  }
}
