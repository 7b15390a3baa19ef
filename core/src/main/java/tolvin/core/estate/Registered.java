package tolvin.core.estate;

import java.time.Instant;
import java.util.Optional;
import tolvin.core.key.Fingerprint;

/**
 * One entry that was really found on an account.
 *
 * @param key the key on it
 * @param line the entry exactly as it stands there: what a withdrawal takes out
 * @param expires when the destination stops accepting it, if the entry says so; {@link
 *     #PASSED_OVER} where it never did
 * @param details what else the destination tells
 */
public record Registered(Fingerprint key, String line, Optional<Instant> expires, Details details) {
  /** The end of an entry that the destination passes over, since it cannot read all of it. */
  public static final Instant PASSED_OVER = Instant.EPOCH;

  /**
   * What else a destination tells of an entry; what it does not tell is empty.
   *
   * @param reference its own reference
   * @param slot the slot that it stands in
   * @param title its title
   * @param added when it was added, by the destination's clock
   * @param used when it was last used, by the destination's clock
   */
  public record Details(
      String reference,
      String slot,
      String title,
      Optional<Instant> added,
      Optional<Instant> used) {
    /** Nothing. */
    public static final Details NONE = new Details("", "", "", Optional.empty(), Optional.empty());
  }

  /** An entry without an end. */
  public Registered(Fingerprint key, String line) {
    this(key, line, Optional.empty(), Details.NONE);
  }
}
