package tolvin.api.placement;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.Access;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Purpose;

/**
 * A placement as it is shown.
 *
 * @param reason what stands in its way, absent if nothing does
 * @param reference the destination's own reference; empty if there is none
 * @param line the line as it stands at the destination
 */
@MayBeRepeated
public record PlacementView(
    UUID id,
    UUID keyId,
    String key,
    UUID accountId,
    String account,
    PlacementState state,
    @Nullable String reason,
    String title,
    Purpose purpose,
    Access access,
    @Nullable String reference,
    @Nullable String line,
    List<String> sources,
    @Nullable Instant endsAt,
    List<String> options,
    Instant wantedAt,
    @Nullable Instant placedAt,
    @Nullable Instant provenAt,
    @Nullable Instant withdrawnAt) {}
