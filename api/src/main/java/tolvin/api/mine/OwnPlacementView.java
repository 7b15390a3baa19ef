package tolvin.api.mine;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.PlacementState;

/** Where one of the keys stands. */
@MayBeRepeated
public record OwnPlacementView(
    UUID id, UUID accountId, String account, PlacementState state, @Nullable String reason) {}
