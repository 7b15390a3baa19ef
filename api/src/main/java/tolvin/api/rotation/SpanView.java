package tolvin.api.rotation;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** A span in time; the end is absent while it lasts. */
public record SpanView(@Nullable Instant from, @Nullable Instant until) {}
