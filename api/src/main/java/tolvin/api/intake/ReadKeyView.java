package tolvin.api.intake;

import org.jspecify.annotations.Nullable;

/** A key that was read. */
public record ReadKeyView(
    String fingerprint,
    String md5,
    String type,
    int bits,
    @Nullable String application,
    String comment,
    @Nullable String options,
    String line) {}
