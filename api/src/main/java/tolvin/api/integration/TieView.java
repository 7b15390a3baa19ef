package tolvin.api.integration;

import java.time.Duration;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;

/**
 * A tie as it is shown.
 *
 * @param intervalSeen the longest silence between two uses from the seat's address
 * @param longestSessionSeen the longest that a connection from there lasted; absent if no end was
 *     told
 */
@MayBeRepeated
public record TieView(
    UUID id,
    UUID seatId,
    UUID accountId,
    String integration,
    String seat,
    String account,
    Duration expectedInterval,
    Duration longestSession,
    @Nullable Duration intervalSeen,
    @Nullable Duration longestSessionSeen) {}
