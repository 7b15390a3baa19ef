package tolvin.service.job;

import java.time.Duration;

/**
 * Pauses between tries that fail one after the other: each twice as long as the one before.
 *
 * @param first the pause after the first failure in a row, or before it
 * @param longest none is longer
 */
public record Backoff(Duration first, Duration longest) {
  private static final int MOST_DOUBLINGS = 20;

  /** The pause after so many doublings. */
  public Duration after(long doublings) {
    Duration pause = first.multipliedBy(1L << Math.min(doublings, MOST_DOUBLINGS));
    return pause.compareTo(longest) < 0 ? pause : longest;
  }
}
