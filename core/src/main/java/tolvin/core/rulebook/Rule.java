package tolvin.core.rulebook;

import java.util.List;

/**
 * One rule.
 *
 * @param number by which it is quoted
 * @param name what it is about, in a few words
 * @param because why it exists, in a sentence
 * @param when which keys it is about
 * @param demands what it asks of them
 * @param refuses whether what falls short is refused; otherwise it is accepted with a warning
 */
public record Rule(
    int number,
    String name,
    String because,
    Condition when,
    List<Demand> demands,
    boolean refuses) {}
