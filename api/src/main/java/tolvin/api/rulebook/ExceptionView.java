package tolvin.api.rulebook;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** An exception as it is shown. */
public record ExceptionView(
    int rule,
    @Nullable String key,
    @Nullable String identity,
    String reason,
    String owner,
    Instant until) {}
