package tolvin.core.rotation;

import java.time.Instant;

/**
 * One effect that was tried.
 *
 * @param effect which effect it was
 * @param startedAt when the attempt was recorded, before anything was done
 * @param outcome how it ended, as far as is known
 * @param reason why it failed; empty if it did not
 */
public record Attempt(EffectId effect, Instant startedAt, Outcome outcome, String reason) {

  /** How an attempt ended. */
  public enum Outcome {
    /** Still running, as far as is known. */
    RUNNING,
    /** Done and read back. */
    DONE,
    /** Certainly not done. */
    FAILED,
    /** Nobody knows: a crash, or an answer that never came. */
    UNKNOWN
  }
}
