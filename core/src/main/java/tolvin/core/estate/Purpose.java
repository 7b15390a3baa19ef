package tolvin.core.estate;

/** What a key is registered for. */
public enum Purpose {
  /** To sign in with. */
  SIGN_IN,

  /** To check signatures with. */
  SIGNING
}
