package tolvin.api.integration;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A tie to add. Durations are ISO 8601.
 *
 * @param expectedInterval the longest silence that is normal
 * @param longestSession how long one connection may last
 */
public record TieRequest(
    UUID accountId, String expectedInterval, @Nullable String longestSession) {}
