package tolvin.service.health;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.port.HealthPort;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.service.destination.Access;
import tolvin.service.hostkey.HostKeys;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Pace;
import tolvin.service.journal.Journal;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.store.ClockStore;

/** Looks after destinations: reachable, let in, until when, which clock, which host keys. */
@ApplicationScoped
public class HealthLooks implements JobHandler {
  private static final Pace EVERY = new Pace(Duration.ofMinutes(1), Duration.ofMillis(250));

  private final DestinationStore store;
  private final Access access;
  private final HostKeys hostKeys;
  private final ClockStore clock;
  private final Journal journal;

  HealthLooks(
      DestinationStore store, Access access, HostKeys hostKeys, ClockStore clock, Journal journal) {
    this.store = store;
    this.access = access;
    this.hostKeys = hostKeys;
    this.clock = clock;
    this.journal = journal;
  }

  @Override
  public JobKind kind() {
    return JobKind.HEALTH;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    if (inNewTransaction(() -> store.find(id).filter(d -> d.validUntil == null)).isEmpty()) {
      return Optional.empty();
    }
    look(id);
    return Optional.of(EVERY.of(inNewTransaction(store::count)));
  }

  /** Looks at one destination now. */
  public void look(UUID id) {
    DestinationRow at = inNewTransaction(() -> store.get(id));
    Instant began = inNewTransaction(clock::now);
    DestinationRow.Health found;
    try {
      Optional<HealthPort.Health> seen =
          inNewTransaction(() -> access.family(at)).look(access.attached(at));
      if (access.speaksSsh(at)) {
        hostKeys.look(id);
      }
      Instant ended = inNewTransaction(clock::now);
      found =
          new DestinationRow.Health(
              began,
              true,
              seen.isPresent() ? Boolean.TRUE : null,
              seen.map(HealthPort.Health::took).orElse(Duration.between(began, ended)).toMillis(),
              seen.flatMap(HealthPort.Health::secretEnds).orElse(null),
              seen.flatMap(HealthPort.Health::clockAhead).map(Duration::toSeconds).orElse(null),
              null);
    } catch (PortException e) {
      boolean refused = e.kind() == Kind.SIGN_IN_REFUSED;
      found =
          new DestinationRow.Health(
              began,
              e.kind() != Kind.UNREACHABLE,
              refused ? Boolean.FALSE : null,
              0,
              null,
              null,
              e.whole());
    }
    DestinationRow.Health result = found;
    inNewTransaction(
        () -> {
          DestinationRow row = store.lock(id);
          String before = row.health == null ? null : row.health.failure();
          row.health = result;
          if (!java.util.Objects.equals(before, result.failure())) {
            journal.tell(
                "destination.health",
                id,
                row.name + (result.failure() == null ? " is well" : ": " + result.failure()));
          }
          return null;
        });
  }
}
