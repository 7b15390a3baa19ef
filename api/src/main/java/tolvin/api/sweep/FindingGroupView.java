package tolvin.api.sweep;

import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Severity;

/** How many findings there are of a kind. */
public record FindingGroupView(FindingKind kind, String title, Severity severity, long count) {}
