package tolvin.core.estate;

/** What an account asks for at a sign-in. */
public enum SignInMode {
  /** A key only. */
  KEY,

  /** A password only. */
  PASSWORD,

  /** A key or a password. */
  EITHER,

  /** A key and a password. */
  BOTH
}
