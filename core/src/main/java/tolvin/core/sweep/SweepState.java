package tolvin.core.sweep;

/** How far a sweep is. */
public enum SweepState {
  /** Accounts are being read. */
  RUNNING,

  /** All were read, or could not be read. */
  DONE,

  /** A person stopped it. */
  STOPPED
}
