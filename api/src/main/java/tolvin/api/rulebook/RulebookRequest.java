package tolvin.api.rulebook;

import org.jspecify.annotations.Nullable;

/** A text to save. */
public record RulebookRequest(String text, String reason, @Nullable String ticket) {}
