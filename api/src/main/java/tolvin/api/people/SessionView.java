package tolvin.api.people;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** Who is signed in; {@code csrf} goes into the header X-Tolvin-Csrf of every change. */
public record SessionView(
    String login, String name, String role, @Nullable UUID identityId, String csrf) {}
