package tolvin.core.rotation;

/** How a rotation ended. */
public enum Outcome {
  /** The new key took the place of the old one. */
  DONE,

  /** Everything is as it was before. */
  ROLLED_BACK,

  /** A person ended it where it was. */
  STOPPED
}
