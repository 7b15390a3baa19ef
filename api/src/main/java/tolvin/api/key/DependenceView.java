package tolvin.api.key;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * What one client would do without a key: a tie that is on record, or somebody of whom only a
 * sign-in in the last 90 days is known.
 *
 * @param tie which tie; absent for a client that is not on record
 * @param account on which account
 * @param breaks whether it could not sign in any more
 * @param otherKey what it would go on with; absent if it breaks
 * @param address from where a client that is not on record signed in last; absent for a tie
 * @param usedAt and when; absent for a tie
 */
public record DependenceView(
    @Nullable String tie,
    String account,
    boolean breaks,
    @Nullable String otherKey,
    @Nullable String address,
    @Nullable Instant usedAt) {}
