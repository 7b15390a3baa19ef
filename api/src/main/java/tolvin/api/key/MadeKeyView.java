package tolvin.api.key;

import java.util.UUID;

/** A pair that was made; its private key is in the coffer. */
public record MadeKeyView(UUID id, String fingerprint, String line) {}
