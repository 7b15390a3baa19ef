package tolvin.api.proof;

import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Custody;

/**
 * An answer to a challenge.
 *
 * @param signature the file that ssh-keygen -Y sign wrote, or one in the same format
 * @param key the public key, for its comment; absent if the signature's own is enough
 * @param attestation the attestation file in base64; absent if there is none
 * @param passphrase whether the private file has one; said by the client that made it
 * @param custody machine, module or elsewhere; a hardware key's is device by itself
 */
public record ProofRequest(
    String signature,
    @Nullable String key,
    @Nullable String attestation,
    @Nullable Custody custody,
    boolean passphrase) {}
