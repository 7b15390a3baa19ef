package tolvin.api.registration;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.PlacementState;
import tolvin.core.registration.LineState;

/**
 * A line of a registration, and how far it is.
 *
 * @param number its place in the order, counted from one
 * @param key the key's fingerprint
 * @param account LOGIN@DESTINATION
 * @param reason what stands or stood in its way; absent if nothing did
 * @param placementId the placement that was made for it; absent before
 * @param placement how far that is
 * @param changedAt when it became what it is
 */
public record RegistrationLineView(
    int number,
    UUID keyId,
    String key,
    UUID accountId,
    String account,
    String title,
    LineState state,
    @Nullable String reason,
    @Nullable UUID placementId,
    @Nullable PlacementState placement,
    Instant changedAt) {}
