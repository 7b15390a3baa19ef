package tolvin.api.handover;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A key of theirs that is asked for.
 *
 * @param accountId the account of ours that they sign in to
 * @param toWhom who is asked
 * @param contact how they are reached
 * @param dueAt until when; in a week if absent
 */
public record TheirKeyRequest(
    UUID accountId, String toWhom, String contact, @Nullable Instant dueAt) {}
