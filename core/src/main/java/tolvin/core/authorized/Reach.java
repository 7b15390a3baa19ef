package tolvin.core.authorized;

import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import tolvin.core.key.RefusedException;

/**
 * What an entry of {@code authorized_keys} lets in, as far as its options say so (sshd(8),
 * AUTHORIZED_KEYS FILE FORMAT). Of two entries with one key the one with the larger reach can stand
 * for both.
 */
public final class Reach {
  /** Options that give something back which {@code restrict} took, or add something. */
  private static final Set<String> GIVING =
      Set.of(
          "agent-forwarding",
          "environment",
          "port-forwarding",
          "pty",
          "user-rc",
          "x11-forwarding",
          "no-touch-required");

  private final Set<String> takes;
  private final Set<String> gives;

  private Reach(Set<String> takes, Set<String> gives) {
    this.takes = takes;
    this.gives = gives;
  }

  /**
   * The reach of an entry; empty if it lets nobody in. What is spelled in a way that only the
   * server reads has a reach of its own, which no other entry has.
   */
  public static Optional<Reach> of(String line) {
    Admission admission = Admission.of(line);
    if (!admission.mayLetIn()) {
      return Optional.empty();
    }
    try {
      List<KeyOptions.Option> all = KeyOptions.read(admission.options()).all();
      return Optional.of(
          new Reach(
              all.stream()
                  .filter(o -> !GIVING.contains(o.name()))
                  .map(KeyOptions.Option::toString)
                  .collect(Collectors.toSet()),
              all.stream()
                  .filter(o -> GIVING.contains(o.name()))
                  .map(KeyOptions.Option::toString)
                  .collect(Collectors.toSet())));
    } catch (RefusedException spelledOtherwise) {
      boolean adds = admission.options().toLowerCase(Locale.ROOT).contains("environment");
      String own = (adds ? "environment: " : "spelled so: ") + admission.options();
      return Optional.of(new Reach(Set.of(own), Set.of(own)));
    }
  }

  /**
   * Whether this entry lets in all that the other one lets in, with all that it may do there. It
   * takes nothing away that the other one leaves; in doubt the answer is no.
   */
  public boolean covers(Reach other) {
    Set<String> lacking = new HashSet<>(other.gives);
    lacking.removeAll(gives);
    lacking.removeIf(option -> takes.isEmpty() && !option.startsWith("environment"));
    return other.takes.containsAll(takes) && lacking.isEmpty();
  }

  /**
   * The entry that can stand for all of them.
   *
   * @param lines entries with one key, the preferred one first
   * @return empty if each of them lets in something that another one does not
   */
  public static Optional<String> widest(List<String> lines) {
    List<Reach> reaches = lines.stream().flatMap(line -> of(line).stream()).toList();
    return lines.stream()
        .filter(line -> of(line).filter(r -> reaches.stream().allMatch(r::covers)).isPresent())
        .findFirst();
  }
}
