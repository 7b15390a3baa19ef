package tolvin.core.estate;

/** How far a placement is. */
public enum PlacementState {
  /** It is to be placed. */
  WANTED,

  /** It stands there, read back. */
  PLACED,

  /** Somebody signed in with it. */
  PROVEN,

  /** It is to be taken out. */
  WITHDRAWING,

  /** It stood there; that is over. */
  WITHDRAWN;

  /** Whether its entry stands there, and is to stay. */
  public boolean isThere() {
    return this == PLACED || this == PROVEN;
  }
}
