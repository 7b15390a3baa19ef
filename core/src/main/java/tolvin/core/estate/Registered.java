package tolvin.core.estate;

import java.time.Instant;
import java.util.Optional;
import tolvin.core.authorized.Admission;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.ServerOptions;
import tolvin.core.key.Fingerprint;

/**
 * One entry that was really found on an account.
 *
 * @param key the key on it
 * @param line the entry exactly as it stands there: what a withdrawal takes out
 * @param expires when the destination stops accepting it, if the entry says so
 * @param kind what the server does with it; of entries in lists other than files, it lets them in
 * @param details what else the destination tells
 */
public record Registered(
    Fingerprint key, String line, Optional<Instant> expires, Admission.Kind kind, Details details) {
  /**
   * What else a destination tells of an entry; what it does not tell is empty.
   *
   * @param reference its own reference
   * @param slot the slot that it stands in
   * @param title its title
   * @param added when it was added, by the destination's clock
   * @param used when it was last used, by the destination's clock
   * @param purpose what it is for there
   */
  public record Details(
      String reference,
      String slot,
      String title,
      Optional<Instant> added,
      Optional<Instant> used,
      Purpose purpose) {
    /** Nothing. */
    public static final Details NONE =
        new Details("", "", "", Optional.empty(), Optional.empty(), Purpose.SIGN_IN);
  }

  /** What an entry of a file of keys with a key on it registers. */
  public static Registered of(AuthorizedKeys.Line line) {
    return new Registered(
        line.key().orElseThrow().fingerprint(),
        line.text(),
        line.admission().read().flatMap(ServerOptions::end),
        line.admission().kind(),
        Details.NONE);
  }

  /** An entry that the destination does not ignore. */
  public Registered(Fingerprint key, String line, Optional<Instant> expires, Details details) {
    this(key, line, expires, Admission.Kind.LETS_IN, details);
  }

  /**
   * Whether nobody can count on it: the server ignores it or may, or takes the key for an authority
   * that signs certificates.
   */
  public boolean ignored() {
    return kind != Admission.Kind.LETS_IN;
  }

  /** An entry without an end. */
  public Registered(Fingerprint key, String line) {
    this(key, line, Optional.empty(), Details.NONE);
  }
}
