package tolvin.api.intake;

import java.util.List;

/** What was understood. */
public record LookView(List<PieceView> pieces, int keys, int accepted, int refused) {}
