package tolvin.api.people;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.people.UserRole;

/**
 * A user to add.
 *
 * @param name as the journal names them; that of the identity if absent
 * @param identityId whose keys are theirs; an administrator may have none
 * @param role what they may do; self if absent
 */
public record UserRequest(
    String login, @Nullable String name, @Nullable UUID identityId, @Nullable UserRole role) {}
