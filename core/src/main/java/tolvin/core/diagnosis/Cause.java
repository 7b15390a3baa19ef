package tolvin.core.diagnosis;

import java.util.List;

/**
 * One cause of a failed sign-in.
 *
 * @param kind which
 * @param certainty how sure
 * @param sentence what is so, for a person
 * @param evidence what shows it, each in a sentence or as it was printed
 */
public record Cause(CauseKind kind, Certainty certainty, String sentence, List<String> evidence) {

  /** How sure a cause is. */
  public enum Certainty {
    /** Somebody said so, or it was seen. */
    CERTAIN,
    /** Nothing else that is known explains it as well. */
    LIKELY,
    /** Cannot be ruled out with what is known. */
    POSSIBLE
  }

  /** Copies what can be copied. */
  public Cause {
    evidence = List.copyOf(evidence);
  }

  /** What to do about it. */
  public String remedy() {
    return kind.remedy();
  }
}
