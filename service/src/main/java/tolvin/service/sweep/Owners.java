package tolvin.service.sweep;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Collectors;

/**
 * Guesses whose a key is from its comment. A guess is only ever suggested, and only where a single
 * identity fits.
 */
final class Owners {
  private static final int SHORTEST = 3;

  private Owners() {}

  /** Guesses among the names of identities. */
  static Function<String, Optional<String>> among(List<String> names) {
    record Name(String name, Set<String> words) {}
    List<Name> all = names.stream().map(n -> new Name(n, words(n))).toList();
    return comment -> {
      Set<String> said = words(comment);
      List<String> best = new ArrayList<>();
      int most = 0;
      for (Name name : all) {
        int common = (int) name.words().stream().filter(said::contains).count();
        int score = common == name.words().size() ? common + 1 : common;
        if (common > 0 && score > most) {
          best.clear();
          most = score;
        }
        if (common > 0 && score == most) {
          best.add(name.name());
        }
      }
      return best.size() == 1 ? Optional.of(best.get(0)) : Optional.empty();
    };
  }

  private static Set<String> words(String text) {
    return List.of(text.toLowerCase(Locale.ROOT).split("[^\\p{L}\\p{N}]+")).stream()
        .filter(word -> word.length() >= SHORTEST)
        .collect(Collectors.toSet());
  }
}
