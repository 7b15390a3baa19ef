package tolvin.api.today;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** A key that is due soon. */
public record DueKeyView(
    UUID keyId,
    String key,
    @Nullable String identity,
    Instant at,
    Instant startAt,
    String reason,
    boolean overdue) {}
