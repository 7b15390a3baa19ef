package tolvin.api.journal;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * Something changed.
 *
 * @param topic what kind of thing, as {@code noun.verb}; {@code alive} tells nothing but that
 * @param subject which
 */
public record EventView(
    long number, Instant at, String topic, @Nullable UUID subject, String text) {}
