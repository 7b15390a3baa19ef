package tolvin.core.estate;

import java.time.Instant;
import java.util.Optional;
import tolvin.core.key.Fingerprint;

/**
 * One entry that was really found on an account.
 *
 * @param key the key on it
 * @param line the entry exactly as it stands there: what a withdrawal takes out
 * @param expires when the destination stops accepting it, if the entry says so
 */
public record Registered(Fingerprint key, String line, Optional<Instant> expires) {

  /** An entry without an end. */
  public Registered(Fingerprint key, String line) {
    this(key, line, Optional.empty());
  }
}
