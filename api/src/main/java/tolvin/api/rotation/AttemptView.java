package tolvin.api.rotation;

import java.time.Instant;
import org.jspecify.annotations.Nullable;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.EffectKind;

/**
 * An effect that was tried.
 *
 * @param reason why it failed, or is not known to have been done; empty if nothing went wrong
 */
public record AttemptView(
    EffectKind effect,
    String sentence,
    Instant startedAt,
    @Nullable Instant endedAt,
    Attempt.Outcome outcome,
    String reason) {}
