package tolvin.api.sheet;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.api.FlawView;

/**
 * What a check found.
 *
 * @param flaws each with its line; none if the sheet can be used
 * @param explanation what the sheet says, in words; none if there are flaws
 */
public record SheetCheckView(
    List<FlawView> flaws, @Nullable String system, List<String> explanation) {}
