package tolvin.core.estate;

import java.time.Instant;
import java.util.Optional;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.KeyOptions;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.RefusedException;

/**
 * One entry that was really found on an account.
 *
 * @param key the key on it
 * @param line the entry exactly as it stands there: what a withdrawal takes out
 * @param expires when the destination stops accepting it, if the entry says so
 * @param ignored whether the server ignores it, since it cannot read all of it: it lets nobody in
 * @param details what else the destination tells
 */
public record Registered(
    Fingerprint key, String line, Optional<Instant> expires, boolean ignored, Details details) {
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

  /**
   * What a line of {@code authorized_keys} with a key on it registers; a server ignores a whole
   * line whose options it cannot read.
   */
  public static Registered of(AuthorizedKeys.Line line) {
    Fingerprint key = line.key().orElseThrow().fingerprint();
    try {
      Optional<Instant> end = KeyOptions.read(line.options().strip()).end();
      return new Registered(key, line.text(), end, Details.NONE);
    } catch (RefusedException unreadable) {
      return new Registered(key, line.text(), Optional.empty(), true, Details.NONE);
    }
  }

  /** An entry that the destination does not ignore. */
  public Registered(Fingerprint key, String line, Optional<Instant> expires, Details details) {
    this(key, line, expires, false, details);
  }

  /** An entry without an end. */
  public Registered(Fingerprint key, String line) {
    this(key, line, Optional.empty(), Details.NONE);
  }
}
