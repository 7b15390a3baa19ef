package tolvin.api.rulebook;

import java.time.Instant;
import java.util.List;
import tolvin.api.MayBeRepeated;

/** The rulebook in force. */
@MayBeRepeated
public record RulebookView(
    int version,
    Instant since,
    String text,
    List<RuleView> rules,
    List<ExceptionView> exceptions,
    List<CadenceView> cadences) {}
