package tolvin.service.rotation;

import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.jboss.logging.Logger;

/**
 * A few threads that do one piece of work after the other, and wait for news where there is none.
 */
final class Workers {
  private static final Logger LOG = Logger.getLogger(Workers.class);
  private static final long POLL_MILLIS = 1000;

  private final String name;
  private final BooleanSupplier work;
  private final Semaphore news = new Semaphore(0);
  private ExecutorService pool;
  private volatile boolean stopping;

  /**
   * None yet.
   *
   * @param name what they are called
   * @param work does one piece; whether there was one
   */
  Workers(String name, BooleanSupplier work) {
    this.name = name;
    this.work = work;
  }

  void start(int count) {
    pool = Executors.newFixedThreadPool(count, task -> new Thread(task, name));
    for (int i = 0; i < count; i++) {
      pool.execute(this::run);
    }
  }

  void stop() {
    stopping = true;
    if (pool != null) {
      pool.shutdownNow();
    }
  }

  boolean isStopping() {
    return stopping;
  }

  /** There is something to do. */
  void wake() {
    news.release();
  }

  private void run() {
    while (!stopping) {
      try {
        if (!work.getAsBoolean() && news.tryAcquire(POLL_MILLIS, TimeUnit.MILLISECONDS)) {
          news.drainPermits();
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      } catch (RuntimeException | Error e) {
        if (stopping) {
          return;
        }
        LOG.warnf(e, "The %s could not go on; it tries again", name);
        rest();
      }
    }
  }

  private void rest() {
    try {
      TimeUnit.MILLISECONDS.sleep(POLL_MILLIS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      stopping = true;
    }
  }
}
