package tolvin.core.estate;

/** How much depends on an integration. */
public enum Importance {
  /** It may wait. */
  LOW,

  /** The usual. */
  NORMAL,

  /** Much depends on it. */
  HIGH
}
