package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.people.TokenScope;

/**
 * A token as it is listed.
 *
 * @param login whose it is
 * @param lastUsedAt when it was last used, to the minute; absent if never
 */
public record TokenView(
    UUID id,
    String name,
    String login,
    TokenScope scope,
    Instant createdAt,
    @Nullable Instant expiresAt,
    @Nullable Instant lastUsedAt) {}
