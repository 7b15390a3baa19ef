package tolvin.api.key;

import org.jspecify.annotations.Nullable;

/** What one tie would do without a key. */
public record DependenceView(String tie, boolean breaks, @Nullable String otherKey) {}
