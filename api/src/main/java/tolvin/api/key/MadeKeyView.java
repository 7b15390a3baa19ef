package tolvin.api.key;

import java.util.UUID;
import tolvin.api.MayBeRepeated;

/** A pair that was made; its private key is in the coffer. */
@MayBeRepeated
public record MadeKeyView(UUID id, String fingerprint, String line) {}
