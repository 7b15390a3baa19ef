package tolvin.api.rulebook;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.IdentityKind;

/**
 * A cadence to add. Durations are ISO 8601.
 *
 * @param number the number that it is quoted by
 * @param name whom it is for, in words
 * @param identityKind only for this kind, absent for all
 * @param identityId only for this identity, absent for all
 * @param every the longest life of a key
 * @param lead how long before the due date its rotation starts
 * @param watch how long an old key is watched at least before it goes
 */
public record CadenceRequest(
    int number,
    String name,
    @Nullable IdentityKind identityKind,
    @Nullable UUID identityId,
    String every,
    String lead,
    String watch) {}
