package tolvin.core.removal;

import java.util.Set;
import tolvin.core.estate.AccountId;
import tolvin.core.key.Fingerprint;

/**
 * Keys that would stop working on an account.
 *
 * @param account where
 * @param keys which; keys that do not work there make no difference
 * @param door by which way
 */
public record Removal(AccountId account, Set<Fingerprint> keys, Door door) {
  /** Copies what can be copied. */
  public Removal {
    keys = Set.copyOf(keys);
  }

  /** The ways in which a key can stop working on an account. */
  public enum Door {
    /** A person withdraws one placement. */
    WITHDRAWAL,
    /** A person settles a finding by taking an entry out. */
    FINDING,
    /** The account accepts passwords only from then on. */
    SIGN_IN_MODE,
    /** The end of an entry is set or brought forward. */
    EXPIRY,
    /** The addresses or options of an entry are tightened. */
    LIMIT,
    /** An account or a destination is taken out of Tolvin's care together with its keys. */
    ACCOUNT,
    /** What clients sign in with is taken away, or no longer belongs to the account. */
    SEAT,
    /** Somebody else is asked to take a key out. */
    HAND_OVER,
    /** A person takes a key of their own away. */
    OWN
  }
}
