package tolvin.api.rotation;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.rotation.EffectKind;

/**
 * A step of a plan.
 *
 * @param effect what is done; absent where something is waited for
 * @param guards what has to allow it, in words
 */
public record PlanStepView(@Nullable EffectKind effect, String sentence, List<String> guards) {}
