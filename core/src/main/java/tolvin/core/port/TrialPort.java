package tolvin.core.port;

/** Tries to sign in, on a connection of its own. */
public interface TrialPort {

  /**
   * The result of a trial.
   *
   * @param accepted whether the sign-in succeeded
   * @param answer what the server said, in words
   * @param localPort the client's port, by which the server's log tells this trial from others; -1
   *     if no connection came about
   */
  record Trial(boolean accepted, String answer, int localPort) {}

  /**
   * Signs in and leaves again.
   *
   * @throws PortException if the trial could not be made at all, such as for a changed host key
   */
  Trial signIn(Login login) throws PortException;
}
