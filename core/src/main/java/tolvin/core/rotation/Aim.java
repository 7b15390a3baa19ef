package tolvin.core.rotation;

/** Where a rotation is heading. */
public enum Aim {
  /** Planned, its key made, nothing outside touched: a person has to say go. */
  HOLD,
  /** From the old key to the new one. */
  FORWARD,
  /** From the new key back to the old one. */
  BACK,
  /** Nowhere: a person stopped it. */
  STOPPED
}
