package tolvin.api.rotation;

import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * What a rotation would do from here.
 *
 * @param obstacle what a person has to settle first, absent if nothing
 */
public record PlanView(List<PlanStepView> steps, @Nullable String obstacle) {}
