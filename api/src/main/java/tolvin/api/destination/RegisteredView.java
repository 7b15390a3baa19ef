package tolvin.api.destination;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * An entry found on an account.
 *
 * @param ignored true if nobody can count on it: the server ignores it or may, or takes the key for
 *     an authority; else absent
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
