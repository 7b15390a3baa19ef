package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.Set;
import tolvin.core.key.Fingerprint;

/**
 * What one rotation is about and what people have said of it.
 *
 * @param old the key that is to be replaced
 * @param fresh the key that replaces it, once it is made
 * @param direction where the rotation is heading
 * @param startedAt when it was planned
 * @param watch how long the old key is watched at least, before it may go
 * @param inCoffer the keys of which Tolvin holds the private key, and which it can try itself
 * @param givenOut those of them whose private key its owner has fetched from there
 * @param approved the effects that a person approved, empty for all
 * @param accepted the questions that a person has answered with yes
 */
public record RotationContext(
    Fingerprint old,
    Optional<Fingerprint> fresh,
    Direction direction,
    Instant startedAt,
    Duration watch,
    Set<Fingerprint> inCoffer,
    Set<Fingerprint> givenOut,
    Set<EffectId> approved,
    Set<Question> accepted) {

  /** Copies what can be copied. */
  public RotationContext {
    inCoffer = Set.copyOf(inCoffer);
    givenOut = Set.copyOf(givenOut);
    approved = Set.copyOf(approved);
    accepted = Set.copyOf(accepted);
  }

  /** The key that is to go. */
  Fingerprint from() {
    return direction == Direction.ROLLING_BACK ? fresh.orElseThrow() : old;
  }

  /** The key that everything shall sign in with at the end. */
  Fingerprint to() {
    return direction == Direction.ROLLING_BACK ? old : fresh.orElseThrow();
  }

  /** For looking ahead: one more question answered with yes, and nothing approved yet. */
  public RotationContext accepting(Question question) {
    Set<Question> more = new java.util.HashSet<>(accepted);
    more.add(question);
    return new RotationContext(
        old, fresh, direction, startedAt, watch, inCoffer, givenOut, Set.of(), more);
  }

  /** The same with another direction. */
  public RotationContext heading(Direction other) {
    return new RotationContext(
        old, fresh, other, startedAt, watch, inCoffer, givenOut, approved, accepted);
  }
}
