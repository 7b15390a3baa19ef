package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;

/** Tells whoever settles attempts that there is one to be settled. */
@ApplicationScoped
class Settling {
  private final Semaphore news = new Semaphore(0);

  /** There is something to be settled. */
  void soon() {
    news.release();
  }

  /** Waits for news, for a while at most. */
  void await(long millis) throws InterruptedException {
    if (news.tryAcquire(millis, TimeUnit.MILLISECONDS)) {
      news.drainPermits();
    }
  }
}
