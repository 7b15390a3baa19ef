package tolvin.core.rotation;

import java.time.Instant;
import java.util.Optional;

/** What a rotation does next. */
public sealed interface Decision {

  /**
   * Do this now.
   *
   * @param effect what
   */
  record Act(Effect effect) implements Decision {}

  /**
   * Nothing can be done now.
   *
   * @param reason what is waited for, for a person
   * @param until when to look again at the latest; empty if only news can change it
   * @param person whether a person is needed, or should at least know
   */
  record Wait(String reason, Optional<Instant> until, boolean person) implements Decision {}

  /**
   * A person has to decide.
   *
   * @param question what is asked
   * @param reason the question in words
   */
  record Ask(Question question, String reason) implements Decision {}

  /** Nothing is left to do. */
  record Done() implements Decision {}
}
