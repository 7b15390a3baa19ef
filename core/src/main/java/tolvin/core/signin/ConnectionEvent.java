package tolvin.core.signin;

import tolvin.core.key.Fingerprint;

/**
 * What an OpenSSH server writes of one connection. One connection is told from others by its
 * client's address and port, as long as it lasts.
 */
public sealed interface ConnectionEvent {
  /** The login. */
  String user();

  /** The client's address. */
  String address();

  /** The client's port there. */
  int port();

  /**
   * A sign-in with a key, written after its signature was checked. The line {@code Accepted key …
   * found at} comes before that check and is no use of the key.
   *
   * @param key which key signed
   */
  record SignIn(String user, String address, int port, Fingerprint key)
      implements ConnectionEvent {}

  /**
   * A key that was offered and not accepted; written for each one where the server's log is {@code
   * VERBOSE}.
   *
   * @param key which key was offered
   */
  record Refusal(String user, String address, int port, Fingerprint key)
      implements ConnectionEvent {}

  /** The end of a connection that was signed in. */
  record End(String user, String address, int port) implements ConnectionEvent {}
}
