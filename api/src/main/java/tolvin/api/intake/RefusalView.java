package tolvin.api.intake;

/** Why a piece is no key; position is the offset in the piece, absent if it has none. */
public record RefusalView(String reason, String sentence, String remedy, Integer position) {}
