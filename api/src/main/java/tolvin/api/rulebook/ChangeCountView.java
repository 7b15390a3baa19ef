package tolvin.api.rulebook;

import tolvin.core.rulebook.Verdict;

/** How many verdicts would change from one outcome to another. */
public record ChangeCountView(Verdict.Outcome before, Verdict.Outcome after, long count) {}
