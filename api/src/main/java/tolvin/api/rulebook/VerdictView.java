package tolvin.api.rulebook;

import java.util.List;
import tolvin.core.rulebook.Verdict;

/**
 * A verdict as it is shown.
 *
 * @param outcome accepted, accepted-with-warnings or refused
 * @param notes every rule that the key falls short of, refusals first
 */
public record VerdictView(Verdict.Outcome outcome, List<RuleNoteView> notes) {}
