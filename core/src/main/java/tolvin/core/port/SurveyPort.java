package tolvin.core.port;

import java.util.List;
import tolvin.core.sweep.Seen;

/** Reads all that can be seen of accounts and of their server, and changes nothing. */
public interface SurveyPort {
  /**
   * Reads one account.
   *
   * @param signsInAt the server whose ways of signing in are asked for; null if nobody is asked
   * @throws PortException if the entries could not be read
   */
  Seen survey(Place where, String login, Server signsInAt) throws PortException;

  /**
   * The doors that an SSH server's configuration opens for its accounts besides their entries.
   *
   * @param where an account's files, and how Tolvin gets in
   * @param configPath the configuration
   * @throws PortException if it could not be read
   */
  List<Seen.Door> doors(Place.OverSsh where, String configPath) throws PortException;
}
