package tolvin.core.authorized;

import java.security.SecureRandom;
import java.util.regex.Pattern;

/**
 * What tells one placement attempt's line from every other line: the last word of its comment.
 *
 * @param value {@code tolvin:} and sixteen letters or digits
 */
public record Mark(String value) {
  private static final Pattern FORM = Pattern.compile("tolvin:[a-z2-7]{16}");
  private static final String ALPHABET = "abcdefghijklmnopqrstuvwxyz234567";

  /**
   * @throws IllegalArgumentException if the text is not a mark
   */
  public Mark {
    if (!FORM.matcher(value).matches()) {
      throw new IllegalArgumentException("not a mark: " + value);
    }
  }

  /** Makes a new mark with 80 random bits. */
  public static Mark make(SecureRandom random) {
    StringBuilder mark = new StringBuilder("tolvin:");
    for (int i = 0; i < 16; i++) {
      mark.append(ALPHABET.charAt(random.nextInt(ALPHABET.length())));
    }
    return new Mark(mark.toString());
  }

  @Override
  public String toString() {
    return value;
  }
}
