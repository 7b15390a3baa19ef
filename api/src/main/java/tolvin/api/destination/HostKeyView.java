package tolvin.api.destination;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * A host key.
 *
 * @param state trusted, announced, ending, or seen; a key that was only seen is not accepted
 * @param acceptedUntil until when it is accepted, once its successor was announced
 * @param seenAt when the destination last showed it
 */
public record HostKeyView(
    String fingerprint,
    String type,
    String line,
    String state,
    @Nullable Instant acceptedUntil,
    @Nullable Instant announcedAt,
    @Nullable Instant seenAt) {}
