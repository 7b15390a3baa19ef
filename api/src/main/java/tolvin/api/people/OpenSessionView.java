package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;

/**
 * A session that goes on.
 *
 * @param address where it was begun from
 * @param lastUsedAt when somebody last did something in it, to the minute
 * @param endsAt when it ends whatever is done
 * @param isYours whether the caller is in it
 */
public record OpenSessionView(
    UUID id,
    String login,
    String address,
    Instant createdAt,
    Instant lastUsedAt,
    Instant endsAt,
    boolean isYours) {}
