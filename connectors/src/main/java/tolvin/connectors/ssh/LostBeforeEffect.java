package tolvin.connectors.ssh;

import java.io.IOException;
import tolvin.core.port.PortException;

/** The connection was lost while only reading: nothing was changed, so it may be tried again. */
public final class LostBeforeEffect extends IOException {
  private final transient PortException failure;

  /**
   * A lost connection.
   *
   * @param failure what is said of it if it is not tried again
   */
  public LostBeforeEffect(PortException failure) {
    super(failure);
    this.failure = failure;
  }

  PortException failure() {
    return failure;
  }
}
