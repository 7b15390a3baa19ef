package tolvin.core.intake;

/** Counts brackets outside strings, so that the end of a JSON document is found. */
final class JsonDepth {
  private int depth;
  private boolean quoted;
  private boolean escaped;

  void add(String text) {
    for (int i = 0; i < text.length(); i++) {
      char c = text.charAt(i);
      if (escaped) {
        escaped = false;
      } else if (quoted && c == '\\') {
        escaped = true;
      } else if (c == '"') {
        quoted = !quoted;
      } else if (!quoted) {
        depth += c == '{' || c == '[' ? 1 : c == '}' || c == ']' ? -1 : 0;
      }
    }
  }

  boolean open() {
    return depth > 0 || quoted;
  }
}
