package tolvin.core.port;

/**
 * Runs a command on a host that somebody entered for that: a reload, a restart, word to an agent.
 */
public interface CommandPort {
  /**
   * Runs a command to its end.
   *
   * @return what it said
   * @throws PortException if it could not be run, did not end in time, or failed
   */
  String run(Login login, String command) throws PortException;
}
