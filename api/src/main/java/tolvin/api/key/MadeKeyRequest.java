package tolvin.api.key;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A pair to be made.
 *
 * @param choice ed25519, rsa-3072, rsa-4096, ecdsa-p256, ecdsa-p384 or ecdsa-p521
 * @param comment absent for one by the installation's pattern
 */
public record MadeKeyRequest(UUID identityId, @Nullable String choice, @Nullable String comment) {}
