package tolvin.core.rulebook;

import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import tolvin.core.rulebook.Facts.Holder;
import tolvin.core.rulebook.Facts.Place;
import tolvin.core.word.Words;

/**
 * When a rule is about a key: for each property that is named, the key has one of the values. A
 * rule that names a property of places is not about a key by itself, and one that names a property
 * of identities not about a key that belongs to nobody.
 *
 * @param values the values that each named property may have
 */
public record Condition(Map<Property, Set<String>> values) {
  /** About every key. */
  public static final Condition ALWAYS = new Condition(Map.of());

  /** What a condition can name. */
  public enum Property {
    IDENTITY_KIND,
    IDENTITY,
    TEAM,
    DESTINATION,
    FAMILY,
    PURPOSE,
    ACCESS,
    CUSTODY;

    Optional<String> of(Facts facts) {
      return switch (this) {
        case IDENTITY_KIND -> facts.holder().map(Holder::kind).map(Words::of);
        case IDENTITY -> facts.holder().map(Holder::name);
        case TEAM -> facts.holder().map(Holder::team);
        case DESTINATION -> facts.place().map(Place::destination);
        case FAMILY -> facts.place().map(Place::family).map(Words::of);
        case PURPOSE -> facts.place().map(Place::purpose).map(Words::of);
        case ACCESS -> facts.place().map(Place::access).map(Words::of);
        case CUSTODY -> Optional.of(Words.of(facts.custody()));
      };
    }
  }

  /** The condition in words, one for each property. */
  public List<String> words() {
    return values.entrySet().stream()
        .sorted(Map.Entry.comparingByKey())
        .map(
            e ->
                e.getKey().name().toLowerCase(Locale.ROOT).replace('_', ' ')
                    + " is "
                    + e.getValue().stream().sorted().collect(Collectors.joining(" or ")))
        .toList();
  }

  /** Whether the rule is about these facts. */
  public boolean holds(Facts facts) {
    for (Map.Entry<Property, Set<String>> entry : values.entrySet()) {
      if (entry.getKey().of(facts).filter(entry.getValue()::contains).isEmpty()) {
        return false;
      }
    }
    return true;
  }
}
