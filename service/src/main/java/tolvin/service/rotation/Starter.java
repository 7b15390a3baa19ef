package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import org.jboss.logging.Logger;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.schedule.DueDates;
import tolvin.service.schedule.Schedule;
import tolvin.service.store.ClockStore;

/** Starts the rotations that the calendar asks for, when their lead time begins. */
@ApplicationScoped
class Starter implements JobHandler {
  private static final Logger LOG = Logger.getLogger(Starter.class);

  private final KeyStore keys;
  private final Schedule schedule;
  private final DueDates dueDates;
  private final RotationStore rotations;
  private final Rotations starts;
  private final ClockStore clock;

  private static final Duration EVERY = Duration.ofSeconds(5);

  /** How many are started in one go; the others wait for the next. */
  private static final int MOST = 100;

  Starter(
      KeyStore keys,
      Schedule schedule,
      DueDates dueDates,
      RotationStore rotations,
      Rotations starts,
      ClockStore clock) {
    this.keys = keys;
    this.schedule = schedule;
    this.dueDates = dueDates;
    this.rotations = rotations;
    this.starts = starts;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.START;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    startDue();
    return Optional.of(EVERY);
  }

  private void startDue() {
    while (dueDates.workOut()) {
      LOG.debug("More due dates are to be worked out");
    }
    for (KeyRow key :
        QuarkusTransaction.requiringNew().call(() -> keys.dueToStart(clock.now(), MOST))) {
      QuarkusTransaction.requiringNew().run(() -> startIfDue(key));
    }
  }

  private void startIfDue(KeyRow candidate) {
    Instant now = clock.now();
    dueDates
        .of(candidate)
        .filter(due -> !now.isBefore(due.startAt()))
        .ifPresent(
            due -> {
              KeyRow key = keys.lock(candidate.id);
              boolean taken =
                  key.endedAt != null
                      || rotations.runningOf(key.id).isPresent()
                      || rotations.wasGivenUpSince(key.id, key.madeAt);
              if (!taken) {
                schedule
                    .cadence(key.identityId)
                    .ifPresent(found -> starts.startByItself(key, found, due.reason()));
              }
            });
  }
}
