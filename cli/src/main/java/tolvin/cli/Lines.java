package tolvin.cli;

/** Sentences on lines that fit a terminal. */
final class Lines {
  private Lines() {}

  /** A sentence on lines of some width; all but the first are indented. */
  static String folded(String sentence, int width, String indent) {
    StringBuilder text = new StringBuilder();
    int column = 0;
    for (String word : sentence.split(" ")) {
      if (column > 0 && column + 1 + word.length() > width) {
        text.append('\n').append(indent);
        column = indent.length();
      } else if (column > 0) {
        text.append(' ');
        column++;
      }
      text.append(word);
      column += word.length();
    }
    return text.toString();
  }
}
