package tolvin.core.rulebook;

import java.util.List;
import java.util.Optional;

/**
 * What a rulebook says of a key or of its place.
 *
 * @param notes every rule that it falls short of, refusals first
 */
public record Verdict(List<Note> notes) {

  /** The three outcomes. */
  public enum Outcome {
    ACCEPTED,
    ACCEPTED_WITH_WARNINGS,
    REFUSED
  }

  /**
   * One rule that a key falls short of.
   *
   * @param rule the rule
   * @param sentence what is missing
   * @param remedy what to do
   * @param exception the exception that lets it pass for now
   */
  public record Note(Rule rule, String sentence, String remedy, Optional<RuleException> exception) {

    /** Whether the key is refused for it. */
    public boolean refuses() {
      return rule.refuses() && exception.isEmpty();
    }
  }

  /** The outcome. */
  public Outcome outcome() {
    if (notes.stream().anyMatch(Note::refuses)) {
      return Outcome.REFUSED;
    }
    return notes.isEmpty() ? Outcome.ACCEPTED : Outcome.ACCEPTED_WITH_WARNINGS;
  }
}
