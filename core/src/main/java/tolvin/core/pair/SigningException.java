package tolvin.core.pair;

/** A signature that did not come about. Never carries a secret. */
public final class SigningException extends Exception {
  private final String wayOut;

  /**
   * A failure.
   *
   * @param sentence what happened
   * @param wayOut what to do
   */
  public SigningException(String sentence, String wayOut) {
    super(sentence, null, false, false);
    this.wayOut = wayOut;
  }

  /** What to do. */
  public String wayOut() {
    return wayOut;
  }

  /** The sentence, and the way out behind it. */
  public String whole() {
    return getMessage() + " " + wayOut;
  }
}
