package tolvin.api.people;

import org.jspecify.annotations.Nullable;
import tolvin.core.people.TokenScope;

/**
 * A token to make.
 *
 * @param name what it is for
 * @param life how long it lives, in ISO 8601, such as P90D
 * @param scope what it may do; operate if absent
 */
public record TokenRequest(String name, @Nullable String life, @Nullable TokenScope scope) {}
