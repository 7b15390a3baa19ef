package tolvin.api.schedule;

import java.time.Instant;
import java.util.UUID;

/** A freeze as it is shown. */
public record FreezeView(UUID id, Instant from, Instant until, String reason) {}
