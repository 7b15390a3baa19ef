package tolvin.core.port;

/**
 * The moment at which a seat is switched. A client reads its private file twice, so it is switched
 * right after one of its sign-ins, when the next one is farthest away.
 */
@FunctionalInterface
public interface Moment {
  /** Any moment will do. */
  Moment NOW = () -> {};

  /** Waits for the moment, for a few seconds at most; holds no connection meanwhile. */
  void await();
}
