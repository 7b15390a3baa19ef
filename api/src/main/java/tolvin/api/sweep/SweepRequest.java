package tolvin.api.sweep;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** What is to be swept; without a destination all are. */
public record SweepRequest(@Nullable UUID destinationId) {}
