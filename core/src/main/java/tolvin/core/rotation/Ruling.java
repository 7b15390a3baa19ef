package tolvin.core.rotation;

import java.time.Instant;
import java.util.Optional;

/**
 * What a guard says.
 *
 * @param guard which guard
 * @param answer allowed, not yet, or never
 * @param reason why, for a person; also said when allowed
 * @param until when it may change by itself, for "not yet"
 */
public record Ruling(Name guard, Answer answer, String reason, Optional<Instant> until) {

  /** The guards before a withdrawal, in their order. */
  public enum Name {
    PROVEN,
    QUIET,
    SPARE,
    FREEZE,
    OURS
  }

  /** The kinds of answer. */
  public enum Answer {
    ALLOWED,
    /** Wait; it may change by itself. */
    NOT_YET,
    /** The feed of uses cannot be believed: something has to stand in for it. */
    BLIND,
    /** Only a log that somebody read in says so: a person has to say whether to believe it. */
    SAID,
    /** Tolvin's own control sign-in is needed to know. */
    TRIAL_NEEDED,
    /** The account has to be read again to know. */
    LOOK_NEEDED,
    /** It will not change by itself. */
    NEVER
  }

  /** Whether the withdrawal may happen as far as this guard is concerned. */
  public boolean allowed() {
    return answer == Answer.ALLOWED;
  }

  static Ruling allow(Name guard, String reason) {
    return new Ruling(guard, Answer.ALLOWED, reason, Optional.empty());
  }

  static Ruling not(Name guard, Answer answer, String reason) {
    return new Ruling(guard, answer, reason, Optional.empty());
  }

  static Ruling notYet(Name guard, String reason, Instant until) {
    return new Ruling(guard, Answer.NOT_YET, reason, Optional.of(until));
  }
}
