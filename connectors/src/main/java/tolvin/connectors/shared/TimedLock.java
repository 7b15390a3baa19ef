package tolvin.connectors.shared;

import java.time.Duration;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.ReentrantLock;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;

/** A lock that nobody waits for without end: somebody who hangs must not hang all others. */
public final class TimedLock {
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private final ReentrantLock lock = new ReentrantLock();

  /**
   * Takes it, or gives up.
   *
   * @param what is locked, for the sentence
   * @throws PortException if it did not come free, with {@link Kind#BUSY}
   */
  public void take(String what) throws PortException {
    take(what, PATIENCE);
  }

  /** Likewise, with another patience. */
  public void take(String what, Duration patience) throws PortException {
    try {
      if (lock.tryLock(patience.toMillis(), TimeUnit.MILLISECONDS)) {
        return;
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
    throw new PortException(
        Kind.BUSY,
        "The connection to " + what + " is in use and does not come free.",
        "It is tried again by itself.");
  }

  /** Takes it if it is free. */
  public boolean takeIfFree() {
    return lock.tryLock();
  }

  /** Gives it back. */
  public void release() {
    lock.unlock();
  }
}
