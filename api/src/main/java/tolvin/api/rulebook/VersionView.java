package tolvin.api.rulebook;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** A version of the rulebook in the list. */
public record VersionView(
    int version,
    Instant since,
    @Nullable Instant until,
    String savedBy,
    String reason,
    String ticket) {}
