package tolvin.core.estate;

/** When a client goes over to a new private key. */
public enum TakesEffect {
  /** At its next sign-in, by itself. */
  NEXT_SIGN_IN,

  /** After it was reloaded. */
  RELOAD,

  /** After it was restarted. */
  RESTART,

  /** After the key was added to its agent. */
  AGENT,

  /** After a person did what is needed. */
  BY_HAND;

  /** Whether Tolvin runs a command on the seat's host for it. */
  public boolean byCommand() {
    return this == RELOAD || this == RESTART || this == AGENT;
  }
}
