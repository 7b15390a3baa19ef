package tolvin.service.journal;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.store.ClockStore;

/**
 * Deletes old messages of the outbox, which are hints for listeners of this moment; what happened
 * stands in the journal.
 */
@ApplicationScoped
class OutboxEnd implements JobHandler {
  private static final Duration KEPT = Duration.ofDays(1);
  private static final Duration EVERY = Duration.ofHours(1);

  private final JournalStore store;
  private final ClockStore clock;

  OutboxEnd(JournalStore store, ClockStore clock) {
    this.store = store;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.OUTBOX;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    QuarkusTransaction.requiringNew().run(() -> store.forgetMessages(clock.now().minus(KEPT)));
    return Optional.of(EVERY);
  }
}
