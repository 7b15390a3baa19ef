package tolvin.api.mine;

import java.util.List;
import java.util.UUID;

/** All that is the caller's. */
public record OwnView(
    UUID identityId, String identity, List<OwnKeyView> keys, List<OwnAccountView> accounts) {}
