package tolvin.core.port;

import java.util.List;
import java.util.Optional;
import java.util.OptionalInt;
import tolvin.core.diagnosis.Circumstances.ServerSide;
import tolvin.core.server.FilesWay;
import tolvin.core.server.SaidOfServer;

/** Looks at what a server shows of a sign-in, through a login that may look. */
public interface LookPort {

  /**
   * Where to look.
   *
   * @param login how Tolvin signs in there
   * @param keysPaths the files that the account's keys are in; empty if they are kept elsewhere
   * @param said what somebody said of the server
   * @param logPath the sign-in log; empty if there is none that may be read
   */
  record Where(Login login, List<String> keysPaths, SaidOfServer said, Optional<String> logPath) {}

  /**
   * The end of the log now, in bytes, from which on a sign-in that is about to come is looked for;
   * 0 without a log.
   *
   * @throws PortException if it could not be read
   */
  long logEnd(Where where) throws PortException;

  /**
   * Looks.
   *
   * @param user the login that somebody tried to sign in as
   * @param logFrom the log's end before that
   * @param clientPort the client's port, if it is known
   * @return what is there; what could not be read is empty
   * @throws PortException if the server could not be reached
   */
  ServerSide look(Where where, String user, long logFrom, OptionalInt clientPort)
      throws PortException;

  /**
   * In which way Tolvin reaches files on a server now.
   *
   * @param host host name or address
   * @param port TCP port
   * @return empty while it is not connected
   */
  Optional<FilesWay> filesWay(String host, int port);
}
