package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.people.UserRole;

/**
 * Who is signed in.
 *
 * @param csrf goes into the header X-Tolvin-Csrf of every change; absent with a token
 * @param openedAt when a link last let somebody choose the password
 * @param openedBy the login of who had made that link
 * @param olderSecretsFrom until when private keys from before that stay closed; absent if they do
 *     not
 */
public record SessionView(
    String login,
    String name,
    UserRole role,
    @Nullable UUID identityId,
    @Nullable String csrf,
    @Nullable Instant openedAt,
    @Nullable String openedBy,
    @Nullable Instant olderSecretsFrom) {}
