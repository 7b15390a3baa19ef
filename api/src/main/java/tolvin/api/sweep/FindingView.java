package tolvin.api.sweep;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.sweep.Action;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Severity;

/**
 * A finding.
 *
 * @param kind its kind, a word
 * @param title the kind for people
 * @param severity how bad it is
 * @param remedy what to do
 * @param actions what settles it, the usual one first
 * @param suggestion whose the key may be, as its comment lets guess
 * @param cameBack how often it was settled before and found again
 */
public record FindingView(
    UUID id,
    FindingKind kind,
    String title,
    Severity severity,
    UUID destinationId,
    @Nullable String destination,
    @Nullable UUID accountId,
    @Nullable String account,
    @Nullable String key,
    String sentence,
    String evidence,
    String remedy,
    List<Action> actions,
    @Nullable String suggestion,
    Instant firstSeenAt,
    Instant seenAt,
    int cameBack,
    @Nullable Instant acceptedUntil,
    @Nullable String acceptedBecause,
    @Nullable Instant settledAt,
    @Nullable String settledBy,
    @Nullable String settledBecause) {}
