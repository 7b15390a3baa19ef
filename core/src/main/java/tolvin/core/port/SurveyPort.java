package tolvin.core.port;

import tolvin.core.sweep.Seen;

/** Reads all that can be seen of an account, and changes nothing. */
public interface SurveyPort {
  /**
   * What is wanted besides the entries.
   *
   * @param configPath the SSH server's configuration; empty if it is not to be read
   * @param signsInAt the server whose ways of signing in are asked for; null if nobody is asked
   */
  record Besides(String configPath, Server signsInAt) {}

  /**
   * Reads.
   *
   * @throws PortException if the entries could not be read
   */
  Seen survey(Place where, String login, Besides besides) throws PortException;
}
