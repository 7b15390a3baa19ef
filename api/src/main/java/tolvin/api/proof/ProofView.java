package tolvin.api.proof;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.proof.ProofKind;

/**
 * Something that was proven.
 *
 * @param kind possession or hardware
 * @param passphrase whether the client that made the private file gave it a passphrase
 * @param touched whether the security key was touched; absent for other keys
 * @param verified whether it verified the person
 * @param origin the web page that asked for the signature, if a browser made it
 * @param model the security key's model (AAGUID)
 * @param maker who attested it
 * @param note what was not proven, and why
 */
public record ProofView(
    UUID id,
    ProofKind kind,
    Instant at,
    String algorithm,
    boolean passphrase,
    @Nullable Boolean touched,
    @Nullable Boolean verified,
    @Nullable String origin,
    @Nullable UUID model,
    @Nullable String maker,
    @Nullable String note) {}
