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
  public static List<Dependence> on(Fingerprint key, Picture picture) {
    return on(Set.of(key), picture.ties(), picture);
  }

  /** Likewise for several keys that would go away from one account at once. */
  public static List<Dependence> on(Set<Fingerprint> keys, AccountId account, Picture picture) {
    return on(keys, picture.tiesOf(account), picture);
  }

  private static List<Dependence> on(Set<Fingerprint> keys, List<Tie> ties, Picture picture) {
    return ties.stream()
        .filter(
            tie ->
                keys.stream()
                    .anyMatch(key -> mayOffer(tie, key, picture) && accepts(tie, key, picture)))
        .map(tie -> new Dependence(tie, other(picture.seats().get(tie.seat()), tie, keys, picture)))
        .toList();
  }

  /**
   * What its client would go on with; one that does not fall back tries its first key only. A key
   * that another door or another rotation is about to withdraw counts as gone.
   */
  private static Optional<Fingerprint> other(
      Seat seat, Tie tie, Set<Fingerprint> keys, Picture picture) {
    Account account = picture.accounts().get(tie.account());
    return seat.offers().stream()
        .limit(seat.fallsBack() ? seat.offers().size() : 1)
        .filter(offered -> !keys.contains(offered) && accepts(tie, offered, picture))
        .filter(offered -> !account.losses().leaving().contains(offered))
        .filter(offered -> !picture.promisedElsewhere().contains(offered))
        .findFirst();
  }

  private static boolean mayOffer(Tie tie, Fingerprint key, Picture picture) {
    Seat seat = picture.seats().get(tie.seat());
    return seat.readAt().isEmpty() || seat.offers().contains(key);
  }

  private static boolean accepts(Tie tie, Fingerprint key, Picture picture) {
    Account account = picture.accounts().get(tie.account());
    return account.readAt().isEmpty()
        ? account.placed().containsKey(key)
        : account.accepts(key, picture.now()).isPresent();
  }
}
