package tolvin.service.web;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.store.ClockStore;

/** Forgets requests that came with a key: nobody repeats one after a day. */
@ApplicationScoped
class IdempotencyEnd implements JobHandler {
  private static final Duration KEPT = Duration.ofDays(1);
  private static final Duration EVERY = Duration.ofHours(1);

  private final IdempotencyStore store;
  private final ClockStore clock;

  IdempotencyEnd(IdempotencyStore store, ClockStore clock) {
    this.store = store;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.REPEATED_REQUESTS;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    QuarkusTransaction.requiringNew().run(() -> store.forget(clock.now().minus(KEPT)));
    return Optional.of(EVERY);
  }
}
