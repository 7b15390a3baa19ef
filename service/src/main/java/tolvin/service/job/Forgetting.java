package tolvin.service.job;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.arc.All;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.ClockStore;

/** Has everything that is kept for a while only forget what is old. */
@ApplicationScoped
class Forgetting implements JobHandler {
  private static final Duration EVERY = Duration.ofHours(1);

  private final List<KeptForAWhile> kept;
  private final ClockStore clock;

  Forgetting(@All List<KeptForAWhile> kept, ClockStore clock) {
    this.kept = kept;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.FORGETTING;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    for (KeptForAWhile part : kept) {
      inNewTransaction(
          () -> {
            part.forget(clock.now());
            return null;
          });
    }
    return Optional.of(EVERY);
  }
}
