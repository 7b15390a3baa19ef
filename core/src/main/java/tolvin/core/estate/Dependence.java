package tolvin.core.estate;

import java.util.List;
import java.util.Optional;
import java.util.Set;
import tolvin.core.key.Fingerprint;

/**
 * What one tie would do without a key.
 *
 * @param tie the tie
 * @param other another key that it offers and that its account accepts; empty if it would break
 */
public record Dependence(Tie tie, Optional<Fingerprint> other) {

  /** Whether the tie breaks when the key goes away now. */
  public boolean breaks() {
    return other.isEmpty();
  }

  /**
   * Every tie that signs in with the key, and whether it has another to go on with. A seat that was
   * never read may offer any key, so its ties count as breaking.
   */
  public static List<Dependence> on(Fingerprint key, Snapshot snapshot) {
    return on(Set.of(key), snapshot.ties(), snapshot);
  }

  /** Likewise for several keys that would go away from one account at once. */
  public static List<Dependence> on(Set<Fingerprint> keys, AccountId account, Snapshot snapshot) {
    return on(keys, snapshot.tiesOf(account), snapshot);
  }

  private static List<Dependence> on(Set<Fingerprint> keys, List<Tie> ties, Snapshot snapshot) {
    return ties.stream()
        .filter(
            tie ->
                keys.stream()
                    .anyMatch(key -> mayOffer(tie, key, snapshot) && accepts(tie, key, snapshot)))
        .map(
            tie ->
                new Dependence(tie, other(snapshot.seats().get(tie.seat()), tie, keys, snapshot)))
        .toList();
  }

  /**
   * What its client would go on with; one that does not fall back tries its first key only. A key
   * that another door or another rotation is about to withdraw counts as gone.
   */
  private static Optional<Fingerprint> other(
      Seat seat, Tie tie, Set<Fingerprint> keys, Snapshot snapshot) {
    Account account = snapshot.accounts().get(tie.account());
    return seat.offers().stream()
        .limit(seat.fallsBack() ? seat.offers().size() : 1)
        .filter(offered -> !keys.contains(offered) && accepts(tie, offered, snapshot))
        .filter(offered -> !account.losses().leaving().contains(offered))
        .filter(offered -> !snapshot.promisedElsewhere().contains(offered))
        .findFirst();
  }

  private static boolean mayOffer(Tie tie, Fingerprint key, Snapshot snapshot) {
    Seat seat = snapshot.seats().get(tie.seat());
    return seat.readAt().isEmpty() || seat.offers().contains(key);
  }

  private static boolean accepts(Tie tie, Fingerprint key, Snapshot snapshot) {
    Account account = snapshot.accounts().get(tie.account());
    return account.readAt().isEmpty()
        ? account.placed().containsKey(key)
        : account.accepts(key, snapshot.now()).isPresent();
  }
}
