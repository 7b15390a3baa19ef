package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.people.UserRole;
import tolvin.core.people.UserState;

/**
 * A user as it is listed.
 *
 * @param identityId whose keys are theirs
 * @param lastSeenAt when they or a token of theirs last did something, to the minute
 * @param linkUntil until when a link is good with which they choose a password; absent without one
 */
public record UserView(
    UUID id,
    String login,
    String name,
    UserRole role,
    UserState state,
    @Nullable UUID identityId,
    Instant createdAt,
    @Nullable Instant lastSeenAt,
    @Nullable Instant linkUntil) {}
