package tolvin.core.handover;

/** How far a hand-over is. */
public enum HandOverState {
  /** Nobody has replied. */
  OPEN,

  /** They replied; whether it is true is not known yet. */
  REPLIED,

  /** It was seen to be done. */
  CONFIRMED,

  /** A person gave it up. */
  GIVEN_UP
}
