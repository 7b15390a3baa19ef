package tolvin.api.rulebook;

import org.jspecify.annotations.Nullable;

/** A verdict on a key, or on a place where it stands; then account names it. */
public record JudgedView(@Nullable String account, VerdictView verdict) {}
