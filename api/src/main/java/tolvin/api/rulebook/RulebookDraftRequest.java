package tolvin.api.rulebook;

/** A text to look at before it is saved. */
public record RulebookDraftRequest(String text) {}
