package tolvin.api.integration;

import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Importance;

/**
 * An integration to add.
 *
 * @param importance low, normal or high
 */
public record IntegrationRequest(
    String name, String owner, @Nullable Importance importance, String environment) {}
