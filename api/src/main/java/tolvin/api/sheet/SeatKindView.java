package tolvin.api.sheet;

/** What a seat of a kind can do. */
public record SeatKindView(String name, boolean keepsFormer, boolean triesItself) {}
