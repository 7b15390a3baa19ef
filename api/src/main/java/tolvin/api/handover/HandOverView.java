package tolvin.api.handover;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.handover.HandOverKind;
import tolvin.core.handover.HandOverState;

/**
 * A hand-over.
 *
 * @param kind what is asked
 * @param state how far it is
 * @param about the account or seat
 * @param key the key's fingerprint; absent until they gave theirs
 * @param whatToDo what they are asked, in words
 * @param lastTrial what the last trial said, or what confirmed it
 */
@MayBeRepeated
public record HandOverView(
    UUID id,
    HandOverKind kind,
    HandOverState state,
    String destination,
    @Nullable String about,
    @Nullable String key,
    String toWhom,
    String contact,
    String form,
    String whatToDo,
    Instant dueAt,
    Instant madeAt,
    @Nullable Instant linkEndsAt,
    @Nullable String reply,
    @Nullable String replyName,
    @Nullable String replyFingerprint,
    @Nullable Instant repliedAt,
    int reminders,
    @Nullable Instant nextReminderAt,
    @Nullable String lastTrial,
    @Nullable Instant confirmedAt,
    @Nullable String endedBecause) {}
