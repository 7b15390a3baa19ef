package tolvin.core.estate;

import java.time.Instant;

/**
 * A span in which nothing may be changed.
 *
 * @param from its first moment
 * @param until the first moment after it
 * @param reason why, for people
 */
public record Freeze(Instant from, Instant until, String reason) {

  /** Whether the moment lies in it. */
  public boolean covers(Instant moment) {
    return !moment.isBefore(from) && moment.isBefore(until);
  }
}
