package tolvin.core.rulebook;

import java.time.Instant;
import java.util.Optional;
import tolvin.core.rulebook.Facts.Holder;

/**
 * An exception from a rule, for one key or for the keys of one identity.
 *
 * @param rule the rule's number
 * @param key the key's fingerprint, absent if it is for an identity
 * @param identity the identity's name, absent if it is for a key
 * @param reason why
 * @param owner who answers for it
 * @param until when it ends
 */
public record RuleException(
    int rule,
    Optional<String> key,
    Optional<String> identity,
    String reason,
    String owner,
    Instant until) {

  /** Whether it covers a key now. */
  boolean covers(int number, Facts facts, Instant now) {
    return rule == number
        && now.isBefore(until)
        && (key.filter(facts.fingerprint()::equals).isPresent()
            || identity.isPresent() && identity.equals(facts.holder().map(Holder::name)));
  }
}
