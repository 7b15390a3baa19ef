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
 * @param readIn whether only a file that a person read in says so: it may be made up, so it holds a
 *     withdrawal up, but proves nothing by itself
 */
public record Use(
    AccountId account,
    Fingerprint key,
    String address,
    Instant earliest,
    Instant latest,
    boolean readIn) {

  /** A use that Tolvin saw itself, or that the destination reported. */
  public Use(AccountId account, Fingerprint key, String address, Instant earliest, Instant latest) {
    this(account, key, address, earliest, latest, false);
  }

  /** The address of a use of which the destination does not say from where. */
  public static final String NOT_SAID = "(not said)";
}
