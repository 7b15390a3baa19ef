package tolvin.core.estate;

import java.time.Instant;
import tolvin.core.key.Fingerprint;

/**
 * The last time that a key was seen signing in to an account from an address. The moment is known
 * only as a span, since logs carry other clocks or none: for "after" the earliest counts, for "not
 * since" the latest.
 *
 * @param account where
 * @param key with which key
 * @param address from where
 * @param earliest not before this
 * @param latest not after this
 */
public record Use(
    AccountId account, Fingerprint key, String address, Instant earliest, Instant latest) {

  /** The address of a use of which the destination does not say from where. */
  public static final String NOT_SAID = "(not said)";
}
