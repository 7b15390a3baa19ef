package tolvin.api.intake;

import java.util.List;

/** What became of all. */
public record IntakeResultView(
    int registered, int there, int refused, List<LineResultView> results) {}
