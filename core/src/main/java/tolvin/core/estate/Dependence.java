package tolvin.core.estate;

import java.util.List;
import java.util.Optional;
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

  /** Every tie that signs in with the key, and whether it has another to go on with. */
  public static List<Dependence> on(Fingerprint key, Picture picture) {
    return picture.ties().stream()
        .filter(tie -> works(tie, key, picture))
        .map(
            tie ->
                new Dependence(
                    tie,
                    picture.seats().get(tie.seat()).offers().stream()
                        .filter(offered -> !offered.equals(key) && works(tie, offered, picture))
                        .findFirst()))
        .toList();
  }

  private static boolean works(Tie tie, Fingerprint key, Picture picture) {
    return picture.seats().get(tie.seat()).offers().contains(key)
        && picture.accounts().get(tie.account()).accepts(key, picture.now()).isPresent();
  }
}
