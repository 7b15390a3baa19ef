package tolvin.core.port;

import java.util.List;
import java.util.Optional;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;

/**
 * Reads and supplies a seat: a private file on the host of an integration, or an entry of a
 * credential store.
 */
public interface SeatPort {

  /**
   * What a seat holds. Only public keys are read: a private key never travels back.
   *
   * @param offers the key that the integration signs in with
   * @param keeps the key kept beside it
   */
  record Holding(Optional<Fingerprint> offers, Optional<Fingerprint> keeps) {}

  /**
   * How a trial by the seat itself went.
   *
   * @param accepted whether it signed in
   * @param log what the integration said, shortened
   */
  record Tried(boolean accepted, String log) {}

  /**
   * Reads a seat.
   *
   * @throws PortException if it could not be read
   */
  Holding read(Place where) throws PortException;

  /**
   * Makes the seat offer a key; the file it offered before is kept beside.
   *
   * @param key the public key
   * @param privateFile the private file; the caller overwrites it afterwards
   * @param moment when it may be switched; everything is prepared before
   * @return what it holds afterwards, read again
   * @throws PortException if it was not supplied
   */
  Holding supply(Place where, PublicKey key, byte[] privateFile, Moment moment, Lease lease)
      throws PortException;

  /** Likewise, at any moment. */
  default Holding supply(Place where, PublicKey key, byte[] privateFile, Lease lease)
      throws PortException {
    return supply(where, key, privateFile, Moment.NOW, lease);
  }

  /**
   * Makes the seat offer the key again that it keeps beside.
   *
   * @param moment when it may be switched
   * @return what it holds afterwards, read again
   * @throws PortException if that key is not kept there
   */
  Holding restore(Place where, PublicKey key, Moment moment, Lease lease) throws PortException;

  /** Likewise, at any moment. */
  default Holding restore(Place where, PublicKey key, Lease lease) throws PortException {
    return restore(where, key, Moment.NOW, lease);
  }

  /**
   * Removes the private key kept beside, if it is of this key.
   *
   * @return what it holds afterwards, read again
   * @throws PortException if it was not removed
   */
  Holding clear(Place where, PublicKey key, Lease lease) throws PortException;

  /**
   * Has the integration sign in with what the seat offers now.
   *
   * @param key the key that it is expected to offer
   * @throws PortException if it could not be asked to
   */
  default Tried trial(Place where, Fingerprint key) throws PortException {
    throw new PortException(
        PortException.Kind.NOT_ALLOWED,
        where.name() + " cannot be asked to sign in.",
        "Wait for its next run, or have its holder start one.");
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
   * The names of the files that attempts left beside the seat.
   *
   * @return without their directory
   * @throws PortException if it could not be looked
   */
  default List<String> leftBehind(Place where) throws PortException {
    return List.of();
  }
}
