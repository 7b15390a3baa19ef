package tolvin.core.signin;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/**
 * When to exchange the private file of a client. A client reads the file twice in a sign-in, once
 * to offer its public key and once to sign; exchanged in between, that one sign-in fails. So a file
 * is exchanged right after a sign-in was seen, when the next one is farthest away.
 */
public final class QuietMoment {
  /** Nobody is made to wait for a client longer than this. */
  public static final Duration LONGEST = Duration.ofSeconds(8);

  /** Between sign-ins that follow each other more closely there is no quiet moment. */
  private static final Duration SHORTEST = Duration.ofMillis(800);

  /** How long a sign-in may take; one that was seen this long ago is over for certain. */
  private static final Duration SIGN_IN = Duration.ofSeconds(2);

  private QuietMoment() {}

  /**
   * How long to wait at most for the client's next sign-in before the exchange; zero if now is as
   * quiet a moment as any.
   *
   * @param last when its last sign-in was seen; empty if none ever was
   * @param interval how often it usually signs in; empty if that is not known
   */
  public static Duration patience(
      Optional<Instant> last, Optional<Duration> interval, Instant now) {
    if (last.isEmpty() || interval.isEmpty()) {
      return Duration.ZERO;
    }
    if (interval.get().compareTo(SHORTEST) < 0) {
      return Duration.ZERO; // it signs in all the time: no moment is better than another
    }
    Duration since = Duration.between(last.get(), now);
    if (since.compareTo(interval.get().multipliedBy(5)) > 0) {
      return Duration.ZERO; // it does not sign in just now
    }
    Duration untilNext = interval.get().minus(since);
    boolean isFarAway = untilNext.compareTo(SIGN_IN.multipliedBy(3)) > 0;
    boolean justSignedIn = since.compareTo(SIGN_IN) >= 0;
    if (isFarAway && justSignedIn) {
      return Duration.ZERO;
    }
    Duration most = interval.get().multipliedBy(2).plus(SIGN_IN);
    return most.compareTo(LONGEST) < 0 ? most : LONGEST;
  }
}
