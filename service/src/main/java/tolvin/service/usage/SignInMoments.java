package tolvin.service.usage;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Collection;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;

/** Tells whoever waits for it that a client has just signed in, as a followed log shows. */
@ApplicationScoped
public class SignInMoments {

  /**
   * Somebody who signs in.
   *
   * @param account where
   * @param address from where
   */
  public record Client(UUID account, String address) {}

  private final Map<Client, CountDownLatch> awaited = new ConcurrentHashMap<>();

  /**
   * Waits until a client signs in the next time.
   *
   * @param most for how long at most
   * @return whether it did
   */
  public boolean await(Client client, Duration most) {
    CountDownLatch latch = awaited.computeIfAbsent(client, c -> new CountDownLatch(1));
    try {
      return latch.await(most.toMillis(), TimeUnit.MILLISECONDS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return false;
    }
  }

  /** These have just signed in. */
  void seen(Collection<Client> clients) {
    for (Client client : clients) {
      CountDownLatch latch = awaited.remove(client);
      if (latch != null) {
        latch.countDown();
      }
    }
  }
}
