package tolvin.service.web;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import tolvin.service.job.KeptForAWhile;
import tolvin.service.store.RowStore;

/** The creates that came with a key. */
@ApplicationScoped
class IdempotencyStore extends RowStore<IdempotencyRow> implements KeptForAWhile {
  /** Nobody repeats a request after a day. */
  private static final Duration KEPT = Duration.ofDays(1);

  IdempotencyStore() {
    super(IdempotencyRow.class, "idempotency key");
  }

  Optional<IdempotencyRow> of(String user, String key) {
    return one("r.userLogin = :user and r.requestKey = :key", Map.of("user", user, "key", key));
  }

  @Override
  public void forget(Instant now) {
    database
        .createQuery("delete from IdempotencyRow r where r.createdAt < :before")
        .setParameter("before", now.minus(KEPT))
        .executeUpdate();
  }
}
