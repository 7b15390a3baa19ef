package tolvin.api.people;

import org.jspecify.annotations.Nullable;

/**
 * A token to make.
 *
 * @param name what it is for
 * @param life how long it lives, in ISO 8601, such as P90D
 */
public record TokenRequest(String name, @Nullable String life) {}
