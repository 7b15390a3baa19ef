package tolvin.api.handover;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A key of theirs that is believed.
 *
 * @param fingerprint what they read over the telephone
 * @param identityId whose the key is
 */
public record AcceptanceRequest(String fingerprint, @Nullable UUID identityId) {}
