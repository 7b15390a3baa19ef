package tolvin.service.job;

import java.time.Instant;

/** Something that is kept for a while only, and forgotten about once an hour. */
public interface KeptForAWhile {
  /**
   * Forgets what is old enough, in a transaction of its own.
   *
   * @param now by the database's clock
   */
  void forget(Instant now);
}
