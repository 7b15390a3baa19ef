package tolvin.bench.lines;

import java.util.Random;

/** What happens to a text on its way: a character more, less, another, or twice. */
final class Damage {
  private Damage() {}

  /**
   * Spoils a text in one place.
   *
   * @param at where
   * @param nasty what may get into it
   */
  static String at(String text, int at, Random random, String... nasty) {
    String before = text.substring(0, at);
    String strange = nasty[random.nextInt(nasty.length)];
    return switch (random.nextInt(4)) {
      case 0 -> before + strange + text.substring(at);
      case 1 -> before + text.substring(at + 1);
      case 2 -> before + strange + text.substring(at + 1);
      default -> before + text.charAt(at) + text.substring(at);
    };
  }
}
