package tolvin.core.sweep;

/** How bad a finding is; the worst first. */
public enum Severity {
  /** Somebody cannot sign in, or somebody can who must not. */
  BROKEN,
  /** A door that nobody keeps, or a rule that is not kept. */
  SERIOUS,
  /** Confuses everybody later. */
  UNTIDY
}
