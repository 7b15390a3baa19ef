package tolvin.service.rulebook;

import tolvin.api.rulebook.RuleNoteView;
import tolvin.api.rulebook.VerdictView;
import tolvin.core.rulebook.Verdict;

/** Verdicts as they are shown. */
public final class VerdictViews {
  private VerdictViews() {}

  /** The view of a verdict. */
  public static VerdictView of(Verdict verdict) {
    return new VerdictView(
        verdict.outcome(),
        verdict.notes().stream()
            .map(
                n ->
                    new RuleNoteView(
                        n.rule().number(),
                        n.rule().name(),
                        n.rule().because(),
                        n.refuses(),
                        n.sentence(),
                        n.remedy(),
                        n.exception().map(e -> e.reason() + " (" + e.owner() + ")").orElse(null),
                        n.exception().map(e -> e.until()).orElse(null)))
            .toList());
  }
}
