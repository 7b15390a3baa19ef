package tolvin.api.key;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.Custody;
import tolvin.core.estate.IdentityKind;

/** A key as it is listed. */
@MayBeRepeated
public record KeyView(
    UUID id,
    String fingerprint,
    String md5,
    String type,
    int bits,
    @Nullable String application,
    @Nullable String comment,
    @Nullable UUID identityId,
    @Nullable String identity,
    @Nullable IdentityKind identityKind,
    @Nullable String team,
    Custody custody,
    Instant madeAt,
    Instant registeredAt,
    @Nullable Instant endedAt,
    @Nullable String endedBecause,
    @Nullable Instant lastUsedAt,
    @Nullable DueView due,
    String line) {}
