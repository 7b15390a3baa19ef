package tolvin.api.rulebook;

import org.jspecify.annotations.Nullable;

/** An exception to add. */
public record ExceptionRequest(
    int rule,
    @Nullable String key,
    @Nullable String identity,
    String reason,
    String owner,
    String until) {}
