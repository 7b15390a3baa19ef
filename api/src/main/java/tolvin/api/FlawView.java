package tolvin.api;

/** A flaw in a text. */
public record FlawView(int line, String sentence) {}
