package tolvin.api.key;

import org.jspecify.annotations.Nullable;

/** A key in one form; refusal says why that form cannot hold it. */
public record FormView(
    String form, String label, @Nullable String text, @Nullable String refusal) {}
