package tolvin.core.key;

/**
 * Text that may stand in a file, a table or a page: no control characters, no line breaks, nothing
 * that turns the direction of writing, no surrogates without a partner.
 */
public final class PlainText {
  private PlainText() {}

  /** Whether the text is plain. */
  public static boolean isPlain(String text) {
    return text.codePoints().allMatch(PlainText::isPlain);
  }

  /** The text with everything that is not plain shown as U+FFFD. */
  public static String shown(String text) {
    if (isPlain(text)) {
      return text;
    }
    StringBuilder plain = new StringBuilder(text.length());
    text.codePoints().map(c -> isPlain(c) ? c : 0xFFFD).forEach(plain::appendCodePoint);
    return plain.toString();
  }

  private static boolean isPlain(int codePoint) {
    if (codePoint >= 0x20 && codePoint < 0x7f) {
      return true;
    }
    return switch (Character.getType(codePoint)) {
      case Character.CONTROL,
          Character.FORMAT,
          Character.LINE_SEPARATOR,
          Character.PARAGRAPH_SEPARATOR,
          Character.SURROGATE,
          Character.UNASSIGNED ->
          false;
      default -> true;
    };
  }
}
