package tolvin.api.sweep;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.sweep.SweepState;

/**
 * A sweep.
 *
 * @param destination what is swept; absent for all
 * @param state running, done or stopped
 * @param due how many accounts are still to be read
 * @param read how many were read
 * @param failed how many could not be read
 * @param failures the first of those, with the reason
 */
@MayBeRepeated
public record SweepView(
    UUID id,
    @Nullable String destination,
    SweepState state,
    String startedBy,
    Instant startedAt,
    @Nullable Instant endedAt,
    int due,
    int read,
    int failed,
    List<NotReadView> failures) {}
