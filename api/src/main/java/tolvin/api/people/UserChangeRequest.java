package tolvin.api.people;

import org.jspecify.annotations.Nullable;
import tolvin.core.people.UserRole;
import tolvin.core.people.UserState;

/**
 * What to change of a user; what is absent stays.
 *
 * @param state active or disabled
 */
public record UserChangeRequest(
    @Nullable String name, @Nullable UserRole role, @Nullable UserState state) {}
