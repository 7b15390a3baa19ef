package tolvin.api.trial;

import org.jspecify.annotations.Nullable;

/** A private file as the holder's client sees it; nothing private is in it. */
public record FileView(
    String path,
    String kind,
    String mode,
    boolean encrypted,
    @Nullable String key,
    @Nullable String publicBeside) {}
