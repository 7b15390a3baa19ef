package tolvin.api.key;

import java.time.Instant;

/** When a key is due. */
public record DueView(Instant at, Instant startAt, String reason) {}
