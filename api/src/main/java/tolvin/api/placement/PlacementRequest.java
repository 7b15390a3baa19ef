package tolvin.api.placement;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;

/**
 * A placement to make.
 *
 * @param purpose what the key is for; sign-in if absent
 * @param access what it may do; write if absent
 * @param sources the addresses that the key is good from; absent or empty for all
 * @param endsAt when the destination stops accepting it by itself; absent for never
 * @param options other options of a line of authorized_keys, one each, such as {@code command="…"}
 */
public record PlacementRequest(
    UUID keyId,
    UUID accountId,
    String title,
    @Nullable Purpose purpose,
    @Nullable Access access,
    @Nullable List<String> sources,
    @Nullable Instant endsAt,
    @Nullable List<String> options) {}
