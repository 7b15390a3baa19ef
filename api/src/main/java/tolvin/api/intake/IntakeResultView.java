package tolvin.api.intake;

import java.util.List;
import tolvin.api.MayBeRepeated;

/** What became of all. */
@MayBeRepeated
public record IntakeResultView(
    int registered, int there, int refused, List<LineResultView> results) {}
