package tolvin.core.sweep;

/** How bad a finding is; the worst first. */
public enum Severity {
  /** Somebody cannot sign in, or somebody can who must not. */
  CRITICAL,
  /** A door that nobody keeps, or a rule that is not kept. */
  MAJOR,
  /** Confuses everybody later. */
  MINOR
}
