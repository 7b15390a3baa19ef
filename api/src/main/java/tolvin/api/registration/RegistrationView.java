package tolvin.api.registration;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.registration.RegistrationState;

/**
 * A registration of many keys, and how far it is.
 *
 * @param atOnce how many are placed at once on one destination
 * @param count how many lines it has
 * @param waiting how many of them wait for their turn
 * @param onItsWay how many are being placed
 * @param done how many stand there, and work where Tolvin can try them
 * @param thereAlready how many stood there before
 * @param asked of how many somebody else was asked
 * @param refused how many were not begun, for a reason that the line tells
 * @param failed how many were placed and do not work, or were taken off again
 * @param cancelled how many a person cancelled
 * @param begunBy who decided it
 */
@MayBeRepeated
public record RegistrationView(
    UUID id,
    RegistrationState state,
    int atOnce,
    long count,
    long waiting,
    long onItsWay,
    long done,
    long thereAlready,
    long asked,
    long refused,
    long failed,
    long cancelled,
    String reason,
    @Nullable String ticket,
    String begunBy,
    Instant begunAt,
    @Nullable Instant endedAt) {}
