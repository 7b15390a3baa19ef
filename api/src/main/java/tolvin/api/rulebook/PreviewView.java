package tolvin.api.rulebook;

import java.util.List;
import tolvin.api.FlawView;

/**
 * What another rulebook would change.
 *
 * @param flaws why it cannot be taken; nothing else is there then
 * @param counts how many verdicts would change how
 * @param changes the first 200 of them, refusals first
 */
public record PreviewView(
    List<FlawView> flaws, List<ChangeCountView> counts, List<ChangeView> changes) {}
