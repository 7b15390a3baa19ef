package tolvin.api.mine;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** One's own key on one's own account. */
public record OwnPlacementRequest(UUID keyId, UUID accountId, @Nullable String title) {}
