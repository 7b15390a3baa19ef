package tolvin.core.sweep;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;

/**
 * What Tolvin knows of one account and of the keys that were found on it.
 *
 * @param account login and destination, for sentences
 * @param owner the identity that the account belongs to; empty for service accounts
 * @param signInMode how it is meant to be signed in to: password, key, either or both
 * @param placements what should be there
 * @param moving the entries that a change under way is about to put there or to take out
 * @param formerMarks the marks of placements that were withdrawn or given up
 * @param keys what is known of keys, by fingerprint
 * @param lastUses when each key was last used there
 * @param usesKnownSince since when the destination's uses are known without a gap; empty if not
 * @param unusedAfter how long a key may go unused
 * @param slotsBefore in which slot each key stood when the account was read before
 * @param ownKeys the keys that Tolvin itself signs in there with, which are nobody's finding
 */
public record Books(
    String account,
    Optional<String> owner,
    SignInMode signInMode,
    List<Placed> placements,
    Set<String> moving,
    Set<String> formerMarks,
    Map<Fingerprint, Known> keys,
    Map<Fingerprint, Instant> lastUses,
    Optional<Instant> usesKnownSince,
    Duration unusedAfter,
    Map<Fingerprint, String> slotsBefore,
    Set<Fingerprint> ownKeys) {

  /** Copies what can be copied. */
  public Books {
    placements = List.copyOf(placements);
    moving = Set.copyOf(moving);
    formerMarks = Set.copyOf(formerMarks);
    keys = Map.copyOf(keys);
    lastUses = Map.copyOf(lastUses);
    slotsBefore = Map.copyOf(slotsBefore);
    ownKeys = Set.copyOf(ownKeys);
  }

  /**
   * A placement that should be there.
   *
   * @param key its key
   * @param line its entry, exactly
   * @param title the words for it
   * @param since since when it stands there
   * @param needed whether somebody could not sign in without it
   */
  public record Placed(Fingerprint key, String line, String title, Instant since, boolean needed) {}

  /**
   * A key that is known.
   *
   * @param identity whose it is; empty if nobody's
   * @param identityLeft whether that identity, or who is responsible for it, is gone
   * @param suggestion whose it may be, as its comment lets guess; empty if nobody's
   * @param outOfUse why it is out of use; empty if it is not
   * @param refused why the rulebook would refuse it there; empty if it would not
   * @param elsewhere the accounts that it is placed on besides
   */
  public record Known(
      Optional<String> identity,
      boolean identityLeft,
      Optional<String> suggestion,
      Optional<String> outOfUse,
      Optional<String> refused,
      List<String> elsewhere) {}
}
