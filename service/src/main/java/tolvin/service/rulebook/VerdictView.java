package tolvin.service.rulebook;

import java.time.Instant;
import java.util.List;
import java.util.Locale;
import tolvin.core.rulebook.Verdict;

/**
 * A verdict as it is shown.
 *
 * @param outcome accepted, accepted-with-warnings or refused
 * @param notes every rule that the key falls short of, refusals first
 */
public record VerdictView(String outcome, List<Note> notes) {

  /**
   * One rule that a key falls short of.
   *
   * @param rule the rule's number
   * @param name what the rule is about
   * @param because why the rule exists
   * @param refuses whether the key is refused for it
   * @param sentence what is missing
   * @param wayOut what to do
   * @param exception why it is let pass for now; absent if it is not
   * @param exceptionUntil until when; absent likewise
   */
  public record Note(
      int rule,
      String name,
      String because,
      boolean refuses,
      String sentence,
      String wayOut,
      String exception,
      Instant exceptionUntil) {}

  /** The view of a verdict. */
  public static VerdictView of(Verdict verdict) {
    return new VerdictView(
        word(verdict.outcome()),
        verdict.notes().stream()
            .map(
                n ->
                    new Note(
                        n.rule().number(),
                        n.rule().name(),
                        n.rule().because(),
                        n.refuses(),
                        n.sentence(),
                        n.wayOut(),
                        n.exception().map(e -> e.reason() + " (" + e.owner() + ")").orElse(null),
                        n.exception().map(e -> e.until()).orElse(null)))
            .toList());
  }

  static String word(Verdict.Outcome outcome) {
    return outcome.name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}
