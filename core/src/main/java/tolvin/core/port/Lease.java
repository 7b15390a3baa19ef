package tolvin.core.port;

/**
 * A worker's right to go on with one attempt. Looked at on the monotonic clock right before
 * anything destructive.
 */
@FunctionalInterface
public interface Lease {
  /** A lease that never ends, for work that nobody else could be doing. */
  Lease UNLIMITED = () -> {};

  /**
   * Checks the lease.
   *
   * @throws PortException if it has run out, with {@link PortException.Kind#LEASE_LOST}
   */
  void check() throws PortException;

  /**
   * A name that no other attempt has; letters, digits and dashes. Whatever an attempt writes beside
   * a file carries it, so that a change which lands late can only touch what its own attempt wrote,
   * and is made impossible by removing that.
   */
  default String attempt() {
    return "new";
  }
}
