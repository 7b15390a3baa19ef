package tolvin.api.rotation;

import java.time.Instant;
import org.jspecify.annotations.Nullable;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.EffectKind;

/** An effect that was tried. */
public record AttemptView(
    EffectKind effect,
    String sentence,
    Instant startedAt,
    @Nullable Instant endedAt,
    Attempt.Outcome outcome,
    @Nullable String reason) {}
