package tolvin.api.destination;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/**
 * How it was when it was last looked at.
 *
 * @param reachable whether it answered
 * @param secretGood whether it let Tolvin in; absent if that was not tried
 * @param tookMillis how long the answer took
 * @param secretEnds when the connection secret ends, as the system says
 * @param clockAheadSeconds how far its clock is ahead of ours; absent if it does not tell
 * @param failure what was wrong; absent if nothing was
 */
public record HealthView(
    Instant at,
    boolean reachable,
    @Nullable Boolean secretGood,
    long tookMillis,
    @Nullable Instant secretEnds,
    @Nullable Long clockAheadSeconds,
    @Nullable String failure) {}
