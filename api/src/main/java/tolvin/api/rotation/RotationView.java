package tolvin.api.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.rotation.Direction;
import tolvin.core.rotation.Outcome;
import tolvin.core.rotation.Stage;

/**
 * A rotation as it is listed.
 *
 * @param stage how far its least advanced tie is
 * @param direction where it is heading
 * @param turnedBecause why it was stopped or rolled back, absent if it was not
 * @param waitingFor what it waits for, absent if for nothing
 * @param needsPerson whether a person is needed
 * @param question the question that it asks, absent if none
 * @param byItself whether the calendar started it
 */
public record RotationView(
    UUID id,
    UUID oldKeyId,
    String oldKey,
    @Nullable UUID newKeyId,
    @Nullable String newKey,
    @Nullable String identity,
    Stage stage,
    Direction direction,
    @Nullable Outcome outcome,
    @Nullable String turnedBecause,
    @Nullable String waitingFor,
    boolean needsPerson,
    @Nullable QuestionView question,
    boolean byItself,
    String reason,
    String ticket,
    Duration watch,
    Instant plannedAt,
    @Nullable Instant startedAt,
    @Nullable Instant endedAt) {}
