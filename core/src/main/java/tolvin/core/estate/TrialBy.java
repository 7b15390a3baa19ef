package tolvin.core.estate;

/** Who made a trial. */
public enum TrialBy {
  /** Tolvin itself. */
  TOLVIN,

  /** The key's holder, whose client reported it. */
  HOLDER
}
