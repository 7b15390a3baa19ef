package tolvin.api.people;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A user to add, who sees and proves what belongs to their identity.
 *
 * @param identityId their identity
 */
public record UserRequest(String login, @Nullable String name, @Nullable UUID identityId) {}
