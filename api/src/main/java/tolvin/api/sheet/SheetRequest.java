package tolvin.api.sheet;

import org.jspecify.annotations.Nullable;

/** A sheet to keep or to check. */
public record SheetRequest(String text, @Nullable String reason) {}
