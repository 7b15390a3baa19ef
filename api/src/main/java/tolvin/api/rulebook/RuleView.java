package tolvin.api.rulebook;

import java.util.List;
import org.jspecify.annotations.Nullable;

/** A rule as it is shown. */
public record RuleView(
    int number,
    String name,
    @Nullable String because,
    String otherwise,
    List<String> when,
    List<String> demands) {}
