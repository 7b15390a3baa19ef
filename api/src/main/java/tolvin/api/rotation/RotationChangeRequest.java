package tolvin.api.rotation;

import org.jspecify.annotations.Nullable;

/**
 * How a rotation that does not run yet is to be run; what is absent stays as it was planned.
 *
 * @param watch how long the old key is watched at least, in ISO 8601
 * @param reason why, for the journal
 * @param ticket a ticket's number
 */
public record RotationChangeRequest(
    @Nullable String watch, @Nullable String reason, @Nullable String ticket) {}
