package tolvin.core.estate;

/** Who writes the keys of an account. */
public enum Management {
  /** Tolvin only. */
  TOLVIN,

  /** Tolvin, and others beside it. */
  SHARED,

  /** Another system or person only; Tolvin reads and compares. */
  ANOTHER_SOURCE
}
