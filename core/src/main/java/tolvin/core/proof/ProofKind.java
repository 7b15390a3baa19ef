package tolvin.core.proof;

/** What was proven of a key. */
public enum ProofKind {
  /** That somebody holds its private key. */
  POSSESSION,

  /** That its private key is inside a security key, by the word of its maker. */
  HARDWARE
}
