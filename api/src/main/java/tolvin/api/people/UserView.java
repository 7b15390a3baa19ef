package tolvin.api.people;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** A user as it is listed. */
public record UserView(
    UUID id, String login, String name, String role, @Nullable UUID identityId) {}
