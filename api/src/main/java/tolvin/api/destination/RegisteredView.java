package tolvin.api.destination;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * An entry found on an account.
 *
 * @param ignored true if the server ignores it, since it cannot read all of it; else absent
 */
public record RegisteredView(
    String key,
    String line,
    String reference,
    String slot,
    @Nullable Instant addedAt,
    @Nullable Instant usedAt,
    @Nullable Instant endsAt,
    @Nullable Boolean ignored) {}
