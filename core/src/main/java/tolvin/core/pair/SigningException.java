package tolvin.core.pair;

/** A signature that did not come about. Never carries a secret. */
public final class SigningException extends Exception {
  private final String remedy;

  /**
   * A failure.
   *
   * @param sentence what happened
   * @param remedy what to do
   */
  public SigningException(String sentence, String remedy) {
    super(sentence, null, false, false);
    this.remedy = remedy;
  }

  /** What to do. */
  public String remedy() {
    return remedy;
  }

  /** The sentence, and the remedy behind it. */
  public String whole() {
    return getMessage() + " " + remedy;
  }
}
