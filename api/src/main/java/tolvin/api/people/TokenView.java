package tolvin.api.people;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** A token as it is listed. */
public record TokenView(UUID id, String name, Instant createdAt, @Nullable Instant expiresAt) {}
