package tolvin.core.estate;

import java.time.Instant;
import java.util.Optional;

/**
 * The stream of uses that a destination reports, and whether it can be believed.
 *
 * @param unbrokenSince from when on the reading has no hole; empty if there is no feed
 * @param readTo up to when uses would have been seen; empty if it was never read
 * @param ownTrialSeen when Tolvin's own last trial that showed up in it was made; empty if none did
 */
public record Feed(
    Optional<Instant> unbrokenSince, Optional<Instant> readTo, Optional<Instant> ownTrialSeen) {

  /** A destination that reports nothing. */
  public static final Feed NONE = new Feed(Optional.empty(), Optional.empty(), Optional.empty());
}
