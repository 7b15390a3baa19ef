package tolvin.core.handover;

/** What somebody elsewhere is asked to do. */
public enum HandOverKind {
  /** Register a key on an account of theirs. */
  REGISTER,

  /** Take a key out of an account of theirs. */
  TAKE_OUT,

  /** Put a new private key in its place. */
  SUPPLY,

  /** Give a public key of theirs. */
  THEIR_KEY
}
