package tolvin.core.sweep;

/** Whether a finding needs somebody. */
public enum FindingState {
  /** It does. */
  OPEN,

  /** Somebody accepted it until a date. */
  ACCEPTED,

  /** It is over. */
  SETTLED
}
