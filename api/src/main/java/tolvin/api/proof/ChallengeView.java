package tolvin.api.proof;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A challenge.
 *
 * @param text what is signed, byte for byte
 * @param namespace the namespace of the signature
 * @param passphraseRule the rule that wants a passphrase on a private file of this identity; absent
 *     if none does
 */
public record ChallengeView(
    UUID id,
    String identity,
    String text,
    String namespace,
    Instant expiresAt,
    @Nullable String passphraseRule) {}
