package tolvin.api.proof;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A challenge to be given out.
 *
 * @param identityId whose key is to be proven; absent for the caller's own identity
 */
public record ChallengeRequest(@Nullable UUID identityId) {}
