package tolvin.api.schedule;

import java.time.Instant;
import java.util.UUID;
import tolvin.api.MayBeRepeated;

/** A freeze as it is shown. */
@MayBeRepeated
public record FreezeView(UUID id, Instant from, Instant until, String reason) {}
