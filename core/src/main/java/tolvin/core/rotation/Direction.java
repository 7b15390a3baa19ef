package tolvin.core.rotation;

/** Where a rotation is heading. */
public enum Direction {
  /** Planned, its key made, nothing outside touched: a person has to say go. */
  PLANNED,
  /** From the old key to the new one. */
  RUNNING,
  /** From the new key back to the old one. */
  ROLLING_BACK,
  /** Nowhere: a person stopped it. */
  STOPPED
}
