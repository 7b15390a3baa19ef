package tolvin.core.key;

/**
 * Carries a {@link Refusal} out of the readers' depth; has no stack trace, since it is expected.
 */
public final class RefusedException extends Exception {
  private final transient Refusal refusal;

  /** A refusal in its parts; see {@link Refusal}. */
  public RefusedException(Refusal.Reason reason, String sentence, String remedy, int position) {
    this(new Refusal(reason, sentence, remedy, position));
  }

  /** Wraps a refusal. */
  public RefusedException(Refusal refusal) {
    super(refusal.whole(), null, false, false);
    this.refusal = refusal;
  }

  /** The refusal itself. */
  public Refusal refusal() {
    return refusal;
  }
}
