package tolvin.core.estate;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.core.key.Fingerprint;

/**
 * What is known of an account.
 *
 * @param id its id
 * @param name login and destination, for sentences
 * @param holds how many keys it can hold
 * @param propagation how long the destination takes until a change is everywhere
 * @param registered the entries found when it was last read
 * @param readAt when that reading began; empty if it was never read
 * @param placed what Tolvin placed there and has not withdrawn: key to the entry's exact line
 * @param feed what is known of the uses that the destination reports
 * @param stopped why nothing may be done there now, such as a changed host key; empty if it may
 * @param losses which of the placed keys are not, or may soon no longer be, what they seem
 */
public record Account(
    AccountId id,
    String name,
    int holds,
    Duration propagation,
    List<Registered> registered,
    Optional<Instant> readAt,
    Map<Fingerprint, String> placed,
    Feed feed,
    Optional<String> stopped,
    Losses losses) {

  /**
   * Placed keys whose entry is not simply there.
   *
   * @param missing the last reading did not find their entry; a second one has to confirm that it
   *     is gone ({@link Absence})
   * @param gone somebody else took their entry out, as two readings confirmed; their placements are
   *     over
   * @param leaving another door is about to withdraw them, so nothing may count on them
   */
  public record Losses(Set<Fingerprint> missing, Set<Fingerprint> gone, Set<Fingerprint> leaving) {
    /** Copies what can be copied. */
    public Losses {
      missing = Set.copyOf(missing);
      gone = Set.copyOf(gone);
      leaving = Set.copyOf(leaving);
    }
  }

  /** Copies what can be copied. */
  public Account {
    registered = List.copyOf(registered);
    placed = Map.copyOf(placed);
  }

  /** The entry with this key, if the last reading found one that has not expired. */
  public Optional<Registered> accepts(Fingerprint key, Instant now) {
    return registered.stream()
        .filter(r -> r.key().equals(key))
        .filter(r -> !r.ignored() && r.expires().map(now::isBefore).orElse(true))
        .findFirst();
  }
}
