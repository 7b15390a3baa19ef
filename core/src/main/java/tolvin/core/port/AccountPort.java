package tolvin.core.port;

import java.time.Instant;
import java.util.List;
import java.util.Optional;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
import tolvin.core.key.PublicKey;

/** Reads and changes what is registered on an account. */
public interface AccountPort {

  /**
   * What is to be registered, or taken off.
   *
   * @param line the whole entry as one line; where a file holds it, exactly as it stands there
   * @param key the key
   * @param title its title there
   * @param purpose sign-in or signing
   * @param access read or write
   * @param sources the addresses that it is good from; empty for all
   * @param ends when it ends by itself
   * @param reference the destination's own reference, once it is known
   */
  record Entry(
      String line,
      PublicKey key,
      String title,
      Purpose purpose,
      Access access,
      List<String> sources,
      Optional<Instant> ends,
      Optional<String> reference) {}

  /**
   * What is registered.
   *
   * @throws PortException if it could not be read
   */
  List<Registered> read(Place where) throws PortException;

  /**
   * Adds an entry, if it is not there yet.
   *
   * @param entry the entry
   * @return what was registered afterwards, read again
   * @throws PortException if it was not added; {@link PortException.Kind#UNKNOWN_OUTCOME} if nobody
   *     knows
   */
  List<Registered> place(Place where, Entry entry, Lease lease) throws PortException;

  /**
   * Takes an entry out, if it is there exactly so.
   *
   * @param entry the entry; its line is compared byte for byte, and its reference if it is known
   * @return what was registered afterwards, read again
   * @throws PortException if it was not taken out
   */
  List<Registered> withdraw(Place where, Entry entry, Lease lease) throws PortException;

  /**
   * What {@link #place} or {@link #withdraw} would change, without changing anything.
   *
   * @param add the entry to add, or empty
   * @param remove the entry to take out, or empty
   * @return the whole content before and after
   * @throws PortException if it could not be read
   */
  Change rehearse(Place where, Optional<Entry> add, Optional<Entry> remove) throws PortException;

  /**
   * Puts an entry in the place of others with the same key, in one change: at no moment is the key
   * not registered.
   *
   * @param found the entries that stand there, exactly; the wanted one may be among them, and of
   *     several copies of it one stays
   * @return what was registered afterwards, read again
   * @throws PortException if it was not replaced, or the system cannot do that in one change
   */
  default List<Registered> replace(Place where, List<String> found, Entry entry, Lease lease)
      throws PortException {
    throw new PortException(
        PortException.Kind.NOT_ALLOWED,
        where.name() + " cannot change an entry in one step without a gap.",
        "Adopt the entry as it is, or place another key and withdraw this one.");
  }

  /**
   * What the system said to the last change of an account, in its own words: a repository's hooks
   * may take a change and say that they do not apply it.
   *
   * @return plain text, shortened; empty if it said nothing
   */
  default String said(Place where) {
    return "";
  }

  /**
   * Makes impossible what an attempt that got no answer may still do, and removes what it left: on
   * a new connection, read back.
   *
   * @param attempt its {@link Lease#attempt}
   * @return whether it is impossible now; false if only time helps there
   * @throws PortException if it could not be made so
   */
  default boolean settle(Place where, String attempt) throws PortException {
    return false;
  }

  /**
   * A change of a text.
   *
   * @param where the file, or the list of registered keys
   * @param before its content now
   * @param after its content then
   */
  record Change(String where, String before, String after) {}
}
