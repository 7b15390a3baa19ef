package tolvin.api.intake;

/** What was put right on the way in. */
public record CorrectionView(String word, String sentence) {}
