package tolvin.core.yaml;

/**
 * A flaw in a text that a person wrote.
 *
 * @param line counted from 1
 * @param sentence what is wrong and what to write instead
 */
public record Flaw(int line, String sentence) {}
