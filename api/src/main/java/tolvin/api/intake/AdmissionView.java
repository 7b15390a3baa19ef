package tolvin.api.intake;

import tolvin.api.rulebook.VerdictView;

/** Whether a key may be placed on a destination. */
public record AdmissionView(String destination, VerdictView verdict) {}
