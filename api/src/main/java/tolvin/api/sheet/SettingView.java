package tolvin.api.sheet;

import org.jspecify.annotations.Nullable;

/**
 * Something that an administrator is asked for when attaching.
 *
 * @param usual what it is if nothing is said; absent if something has to be said
 * @param severalLines whether it takes several lines
 */
public record SettingView(
    String name, String about, @Nullable String usual, boolean severalLines) {}
