package tolvin.core.estate;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
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
    Optional<String> stopped) {

  /** Copies what can be copied. */
  public Account {
    registered = List.copyOf(registered);
    placed = Map.copyOf(placed);
  }

  /** The entry with this key, if the last reading found one that has not expired. */
  public Optional<Registered> accepts(Fingerprint key, Instant now) {
    return registered.stream()
        .filter(r -> r.key().equals(key))
        .filter(r -> r.expires().map(now::isBefore).orElse(true))
        .findFirst();
  }
}
