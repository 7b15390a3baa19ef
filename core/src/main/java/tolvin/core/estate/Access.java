package tolvin.core.estate;

/** What a sign-in with a key may do. */
public enum Access {
  /** Read only. */
  READ,

  /** Read and write. */
  WRITE
}
