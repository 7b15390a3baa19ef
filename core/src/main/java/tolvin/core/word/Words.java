package tolvin.core.word;

import java.util.Collection;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/**
 * How the constants of an enumeration are written outside of the code, in the API, in commands and
 * in messages: in lower case, with hyphens.
 */
public final class Words {
  private Words() {}

  /** The word of a constant, such as {@code sftp-server}. */
  public static String of(Enum<?> constant) {
    return ofName(constant.name());
  }

  /** The word of a constant with a name, such as {@code SFTP_SERVER}. */
  public static String ofName(String name) {
    return name.toLowerCase(Locale.ROOT).replace('_', '-');
  }

  /** A constant in the middle of a sentence, such as {@code rolled back}. */
  public static String said(Enum<?> constant) {
    return constant.name().toLowerCase(Locale.ROOT).replace('_', ' ');
  }

  /**
   * The constant with a word.
   *
   * @param word in any case, with hyphens, underscores or blanks
   * @return empty if no constant has it
   */
  public static <E extends Enum<E>> Optional<E> read(Class<E> words, String word) {
    String plain = word.strip().replace('_', '-').replace(' ', '-');
    return Stream.of(words.getEnumConstants())
        .filter(constant -> of(constant).equalsIgnoreCase(plain))
        .findFirst();
  }

  /** The words of some constants. */
  public static Set<String> all(Collection<? extends Enum<?>> constants) {
    return constants.stream().map(Words::of).collect(Collectors.toSet());
  }

  /** All words of an enumeration, as a list in a sentence. */
  public static String all(Class<? extends Enum<?>> words) {
    return Stream.of(words.getEnumConstants()).map(Words::of).collect(Collectors.joining(", "));
  }
}
