package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.function.BooleanSupplier;

/** The threads that settle attempts; whoever leaves one to be settled wakes them. */
@ApplicationScoped
class Settling {
  private volatile Workers workers;

  /** What they do. */
  Workers work(BooleanSupplier work) {
    workers = new Workers("settler", work);
    return workers;
  }

  /** There is something to be settled. */
  void soon() {
    Workers now = workers;
    if (now != null) {
      now.wake();
    }
  }

  void stop() {
    Workers now = workers;
    if (now != null) {
      now.stop();
    }
  }
}
