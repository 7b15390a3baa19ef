package tolvin.api.proof;

import java.time.Instant;
import java.util.UUID;

/** A maker of security keys whose attestations are believed. */
public record TrustAnchorView(UUID id, String name, String fingerprint, Instant validFrom) {}
