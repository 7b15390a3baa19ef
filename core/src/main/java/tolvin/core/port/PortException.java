package tolvin.core.port;

import java.util.Optional;

/** Something outside did not go as asked. Never carries a secret. */
public final class PortException extends Exception {

  /** The kinds of failure. */
  public enum Kind {
    UNREACHABLE,
    /** Others are at that host or connection just now: nothing was tried. */
    BUSY,
    HOST_KEY_CHANGED,
    SIGN_IN_REFUSED,
    NOT_ALLOWED,
    /** The system has no such account. */
    NO_ACCOUNT,
    /** It was done, broke what had worked, and was taken back: it must not be tried again. */
    TAKEN_BACK,
    NO_SPACE,
    CHANGED_MEANWHILE,
    UNEXPECTED,
    LEASE_LOST,
    /** The answer never came: it may or may not have been done. */
    UNKNOWN_OUTCOME
  }

  private final Kind kind;
  private final String remedy;
  private String hostKeyShown;

  /**
   * A failure.
   *
   * @param kind its kind
   * @param sentence what happened, where
   * @param remedy what to do
   */
  public PortException(Kind kind, String sentence, String remedy, Throwable cause) {
    super(sentence, cause);
    this.kind = kind;
    this.remedy = remedy;
  }

  /** A failure without a deeper cause. */
  public PortException(Kind kind, String sentence, String remedy) {
    this(kind, sentence, remedy, null);
  }

  /**
   * Another host key than a pinned one.
   *
   * @param shown the fingerprint of the key that the server showed
   */
  public static PortException hostKeyChanged(String sentence, String remedy, String shown) {
    PortException changed = new PortException(Kind.HOST_KEY_CHANGED, sentence, remedy);
    changed.hostKeyShown = shown;
    return changed;
  }

  /** The fingerprint of the host key that a server showed instead of a pinned one. */
  public Optional<String> hostKeyShown() {
    return Optional.ofNullable(hostKeyShown);
  }

  /** The kind. */
  public Kind kind() {
    return kind;
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
