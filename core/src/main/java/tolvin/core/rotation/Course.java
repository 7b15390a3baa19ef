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
 * @param aim where the rotation is heading
 * @param startedAt when it was planned
 * @param watch how long the old key is watched at least, before it may go
 * @param inCoffer the keys of which Tolvin holds the private half, and which it can try itself
 * @param approved the effects that a person approved, by {@link Effect#name}; empty for all
 * @param accepted the questions that a person has answered with yes, by {@link Move.Ask#question}
 */
public record Course(
    Fingerprint old,
    Optional<Fingerprint> fresh,
    Aim aim,
    Instant startedAt,
    Duration watch,
    Set<Fingerprint> inCoffer,
    Set<String> approved,
    Set<String> accepted) {

  /** Copies what can be copied. */
  public Course {
    inCoffer = Set.copyOf(inCoffer);
    approved = Set.copyOf(approved);
    accepted = Set.copyOf(accepted);
  }

  /** The key that is on its way out. */
  Fingerprint from() {
    return aim == Aim.BACK ? fresh.orElseThrow() : old;
  }

  /** The key that everything shall sign in with at the end. */
  Fingerprint to() {
    return aim == Aim.BACK ? old : fresh.orElseThrow();
  }

  /** For looking ahead: one more question answered with yes, and nothing approved yet. */
  public Course accepting(String question) {
    Set<String> more = new java.util.HashSet<>(accepted);
    more.add(question);
    return new Course(old, fresh, aim, startedAt, watch, inCoffer, Set.of(), more);
  }

  /** The same with another aim. */
  public Course aiming(Aim other) {
    return new Course(old, fresh, other, startedAt, watch, inCoffer, approved, accepted);
  }
}
