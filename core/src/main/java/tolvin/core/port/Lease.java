package tolvin.core.port;

/**
 * A worker's right to go on. Looked at on the monotonic clock right before anything destructive.
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
}
