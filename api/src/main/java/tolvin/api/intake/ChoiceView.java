package tolvin.api.intake;

import org.jspecify.annotations.Nullable;

/** One reading of a piece that has several; the line is to be taken in again. */
public record ChoiceView(String label, @Nullable String line) {}
