package tolvin.core.port;

import java.util.List;
import tolvin.core.estate.Registered;

/** Reads and changes what is registered on an account. */
public interface AccountPort {

  /**
   * Where an account's keys are kept.
   *
   * @param login how Tolvin signs in to change them: the account's own login or a management login
   * @param path the file that holds them
   */
  record Place(Login login, String path) {}

  /**
   * What is registered.
   *
   * @throws PortException if it could not be read
   */
  List<Registered> read(Place where) throws PortException;

  /**
   * Adds an entry, if it is not there yet.
   *
   * @param line the whole entry
   * @return what was registered afterwards, read again
   * @throws PortException if it was not added; {@link PortException.Kind#UNKNOWN_OUTCOME} if nobody
   *     knows
   */
  List<Registered> place(Place where, String line, Lease lease) throws PortException;

  /**
   * Takes an entry out, if it is there exactly so.
   *
   * @param line the whole entry, byte for byte
   * @return what was registered afterwards, read again
   * @throws PortException if it was not taken out
   */
  List<Registered> withdraw(Place where, String line, Lease lease) throws PortException;

  /**
   * What {@link #place} or {@link #withdraw} would change, without changing anything.
   *
   * @param add the entry to add, or empty
   * @param remove the entry to take out, or empty
   * @return the whole content before and after
   * @throws PortException if it could not be read
   */
  Change rehearse(Place where, String add, String remove) throws PortException;

  /**
   * A change of a text.
   *
   * @param where the file
   * @param before its content now
   * @param after its content then
   */
  record Change(String where, String before, String after) {}
}
