package tolvin.core.port;

import java.util.Optional;
import tolvin.core.key.PublicKey;

/** Reads and supplies a seat: a private file on the host of an integration. */
public interface SeatPort {

  /**
   * Where a seat is.
   *
   * @param login how Tolvin signs in there
   * @param path the private file that the integration signs in with
   */
  record Place(Login login, String path) {}

  /**
   * What a seat holds. Only public halves are read: a private half never travels back.
   *
   * @param offers the key of the file that the integration reads
   * @param keeps the key of the file kept beside it
   */
  record Holding(Optional<PublicKey> offers, Optional<PublicKey> keeps) {}

  /**
   * Reads a seat.
   *
   * @throws PortException if it could not be read
   */
  Holding read(Place where) throws PortException;

  /**
   * Makes the seat offer a key; the file it offered before is kept beside.
   *
   * @param key the public half
   * @param privateFile the private file; the caller overwrites it afterwards
   * @return what it holds afterwards, read again
   * @throws PortException if it was not supplied
   */
  Holding supply(Place where, PublicKey key, byte[] privateFile, Lease lease) throws PortException;

  /**
   * Makes the seat offer the key again that it keeps beside.
   *
   * @return what it holds afterwards, read again
   * @throws PortException if that key is not kept there
   */
  Holding restore(Place where, PublicKey key, Lease lease) throws PortException;

  /**
   * Removes the private half kept beside, if it is of this key.
   *
   * @return what it holds afterwards, read again
   * @throws PortException if it was not removed
   */
  Holding clear(Place where, PublicKey key, Lease lease) throws PortException;
}
