package tolvin.api.destination;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** How far a client's file of known hosts got a line. */
public record SupplyView(
    UUID id,
    UUID seatId,
    String seat,
    String line,
    @Nullable Instant doneAt,
    @Nullable String reason) {}
