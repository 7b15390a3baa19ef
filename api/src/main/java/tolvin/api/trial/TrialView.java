package tolvin.api.trial;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.TrialBy;
import tolvin.core.port.TrialPort;

/**
 * A trial.
 *
 * @param signed whether a holder signed that it succeeded: a seat proof
 * @param causes why it failed, most likely first
 * @param unknowns what could not be looked at, and how to find out
 */
@MayBeRepeated
public record TrialView(
    UUID id,
    UUID accountId,
    String account,
    @Nullable String fingerprint,
    Instant madeAt,
    TrialBy madeBy,
    TrialPort.Way way,
    boolean accepted,
    boolean signed,
    String answer,
    List<CauseView> causes,
    List<String> unknowns) {}
