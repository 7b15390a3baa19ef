package tolvin.api.identity;

import java.time.Instant;
import java.util.UUID;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.IdentityKind;

/** An identity as it is shown. */
@MayBeRepeated
public record IdentityView(
    UUID id, IdentityKind kind, String name, String team, String responsible, Instant validFrom) {}
