package tolvin.api.schedule;

import java.time.Instant;

/** A freeze to add. */
public record FreezeRequest(Instant from, Instant until, String reason) {}
