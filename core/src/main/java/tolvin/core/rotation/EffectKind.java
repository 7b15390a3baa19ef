package tolvin.core.rotation;

/** The kinds of effects. */
public enum EffectKind {
  /** Make the new key pair. */
  GENERATE,

  /** Read an account or a seat. */
  LOOK,

  /** Register a key on an account. */
  PLACE,

  /** Sign in to an account as Tolvin. */
  PROVE,

  /** Have a seat sign in by itself. */
  PROVE_SEAT,

  /** Bring a private key to a seat. */
  SUPPLY,

  /** Make what a seat offers take effect. */
  RELOAD,

  /** Take an entry off an account. */
  WITHDRAW,

  /** Remove the former private key from a seat. */
  CLEAR,

  /** Destroy a private key in the coffer. */
  DESTROY,

  /** Change an account or a seat as a person asked, outside of any rotation. */
  EDIT;

  /** Whether it only reads or signs in, and changes nothing outside. */
  public boolean isLookOrProof() {
    return this == LOOK || this == PROVE || this == PROVE_SEAT;
  }
}
