package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** A token just made: it is shown this once and is not kept. */
public record NewTokenView(UUID id, String name, String token, @Nullable Instant expiresAt) {}
