package tolvin.core.registration;

/** How far one line of a registration is: one key on one account. */
public enum LineState {
  /** Its turn has not come. */
  WAITING,

  /** It is being placed, or tried again until it is. */
  ON_ITS_WAY,

  /** It stands there, and its sign-in worked where Tolvin can try one. */
  DONE,

  /** It stood there before, just as it was asked for. */
  THERE_ALREADY,

  /** Somebody else does it: they were asked by a hand-over. */
  ASKED,

  /** It was not begun, for a reason that is said. */
  REFUSED,

  /** It was placed, and its sign-in failed; or it was taken off again. */
  FAILED,

  /** A person cancelled it before its turn came. */
  CANCELLED;

  /** Whether nothing more comes of it. */
  public boolean isOver() {
    return this != WAITING && this != ON_ITS_WAY;
  }
}
