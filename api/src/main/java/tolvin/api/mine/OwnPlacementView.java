package tolvin.api.mine;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.PlacementState;

/** Where one of the keys stands. */
public record OwnPlacementView(
    UUID id, UUID accountId, String account, PlacementState state, @Nullable String reason) {}
