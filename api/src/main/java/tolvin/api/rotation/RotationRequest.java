package tolvin.api.rotation;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A rotation to plan.
 *
 * @param keyId the key to replace
 * @param watch how long the old key is watched at least, in ISO 8601; by the rule if absent
 * @param reason why, for the journal
 * @param ticket a ticket's number, may be absent
 */
public record RotationRequest(
    UUID keyId, @Nullable String watch, String reason, @Nullable String ticket) {}
