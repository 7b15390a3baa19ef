package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.sweep.SweepStore;
import tolvin.service.store.ClockStore;

/** Starts a sweep of everything where the last one is too long ago. */
@ApplicationScoped
class DailySweep implements JobHandler {
  private static final Duration LOOK_EVERY = Duration.ofMinutes(1);

  private final Sweeps sweeps;
  private final Sweeper sweeper;
  private final SweepStore store;
  private final DestinationStore destinations;
  private final ClockStore clock;
  private final Duration every;

  DailySweep(
      Sweeps sweeps,
      Sweeper sweeper,
      SweepStore store,
      DestinationStore destinations,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.sweep.every") Duration every) {
    this.sweeps = sweeps;
    this.sweeper = sweeper;
    this.store = store;
    this.destinations = destinations;
    this.clock = clock;
    this.every = every;
  }

  @Override
  public JobKind kind() {
    return JobKind.SWEEP;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    boolean due =
        inNewTransaction(
            () -> {
              Instant limit = clock.now().minus(every);
              return !destinations.inForce().isEmpty()
                  && store.lastOfAll().filter(last -> last.isAfter(limit)).isEmpty();
            });
    if (due) {
      sweeps.start(null, Journal.ITSELF);
      sweeper.wake();
    }
    return Optional.of(LOOK_EVERY);
  }
}
