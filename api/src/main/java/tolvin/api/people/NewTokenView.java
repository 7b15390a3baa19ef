package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.people.TokenScope;

/** A token just made: it is shown this once and is not kept. */
public record NewTokenView(
    UUID id, String name, TokenScope scope, String token, @Nullable Instant expiresAt) {}
