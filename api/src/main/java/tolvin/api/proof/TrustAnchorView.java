package tolvin.api.proof;

import java.time.Instant;
import java.util.UUID;
import tolvin.api.MayBeRepeated;

/** A maker of security keys whose attestations are believed. */
@MayBeRepeated
public record TrustAnchorView(UUID id, String name, String fingerprint, Instant validFrom) {}
