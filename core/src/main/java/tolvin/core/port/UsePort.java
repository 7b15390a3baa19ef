package tolvin.core.port;

import java.util.List;
import tolvin.core.signin.LoggedLine;

/** Reads the uses that a destination reports. */
public interface UsePort {

  /**
   * How far a log was read.
   *
   * @param offset bytes read so far
   * @param head a hash of the log's first bytes, by which a rotated log is noticed; empty before
   *     the first reading
   */
  record Position(long offset, String head) {
    /** Before the first reading. */
    public static final Position NONE = new Position(-1, "");
  }

  /**
   * What a reading brought.
   *
   * @param position how far it was read now
   * @param lines what was told of connections since the position before; none on the first reading,
   *     which begins at the end
   * @param broken whether lines may have been missed, because the log was rotated or cut
   * @param more whether more is there to be read at once
   */
  record News(Position position, List<LoggedLine> lines, boolean broken, boolean more) {}

  /**
   * Reads on from a position.
   *
   * @param login how Tolvin signs in there
   * @param path the log
   * @throws PortException if it could not be read
   */
  News read(Login login, String path, Position from) throws PortException;

  /**
   * The log's lines about one connection, for explaining a refusal.
   *
   * @param clientPort the client's port
   * @throws PortException if it could not be read
   */
  List<String> about(Login login, String path, int clientPort) throws PortException;
}
