package tolvin.service.destination;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.estate.Family;
import tolvin.core.port.Connection;
import tolvin.core.port.DirectoryPort;
import tolvin.core.port.HealthPort;
import tolvin.core.port.KnownHostsPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.service.integration.SeatRow;
import tolvin.service.integration.SeatStore;
import tolvin.service.journal.Journal;
import tolvin.service.store.ClockStore;

/**
 * Looks after destinations: reachable, let in, until when, which clock, which host keys; and brings
 * announced host keys to the clients. One look at a time for each destination, on whichever
 * instance.
 */
@ApplicationScoped
public class HealthLooks {
  private static final Logger LOG = Logger.getLogger(HealthLooks.class);
  private static final Duration LEASE = Duration.ofSeconds(60);
  private static final Duration AGAIN = Duration.ofSeconds(60);
  private static final String KNOWN_HOSTS = ".ssh/known_hosts";

  private final DestinationStore store;
  private final SeatStore seats;
  private final Access access;
  private final HostKeys hostKeys;
  private final HealthPort health;
  private final KnownHostsPort knownHosts;
  private final DirectoryPort directories;
  private final ClockStore clock;
  private final Journal journal;
  private final boolean enabled;
  private final ScheduledExecutorService timer =
      Executors.newScheduledThreadPool(1, task -> new Thread(task, "health"));

  HealthLooks(
      DestinationStore store,
      SeatStore seats,
      Access access,
      HostKeys hostKeys,
      HealthPort health,
      KnownHostsPort knownHosts,
      DirectoryPort directories,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.store = store;
    this.seats = seats;
    this.access = access;
    this.hostKeys = hostKeys;
    this.health = health;
    this.knownHosts = knownHosts;
    this.directories = directories;
    this.clock = clock;
    this.journal = journal;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (enabled) {
      timer.scheduleWithFixedDelay(this::quietly, 1000, 500, TimeUnit.MILLISECONDS);
    }
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
  }

  private void quietly() {
    try {
      hostKeys.endOutdated();
      while (supplyOne() || lookAtOne()) {
        LOG.trace("another one");
      }
    } catch (RuntimeException | Error e) {
      LOG.warnf("Health could not be looked at now: %s", e.getMessage());
    }
  }

  private boolean lookAtOne() {
    Optional<UUID> next =
        inNewTransaction(
            () -> {
              Instant now = clock.now();
              return store.claimHealth(now, now.plus(LEASE)).map(d -> d.id);
            });
    next.ifPresent(this::look);
    return next.isPresent();
  }

  /** Looks at one destination now. */
  public void look(UUID id) {
    DestinationRow at = inNewTransaction(() -> store.get(id));
    Instant began = inNewTransaction(clock::now);
    DestinationRow.Health found;
    try {
      Optional<HealthPort.Health> seen = Optional.empty();
      if (at.hasSheet()) {
        Connection connection = inNewTransaction(() -> access.connection(at));
        if (connection.sheet().health().isPresent()) {
          seen = Optional.of(health.look(connection));
        }
      }
      if (at.family == Family.DIRECTORY) {
        directories.look(inNewTransaction(() -> access.directory(at)));
      } else {
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
          row.healthNextAt = clock.now().plus(AGAIN);
          row.healthLeaseUntil = null;
          if (!java.util.Objects.equals(before, result.failure())) {
            journal.tell(
                "destination.health",
                id,
                row.name + (result.failure() == null ? " is well" : ": " + result.failure()));
          }
          return null;
        });
  }

  /** A line that a client's file of known hosts is to get. */
  private record Supply(UUID id, OverSsh file, String line) {}

  private boolean supplyOne() {
    Optional<Supply> next =
        inNewTransaction(
            () -> {
              Instant now = clock.now();
              return store
                  .claimSupply(now, now.plus(LEASE))
                  .map(
                      row -> {
                        SeatRow seat = seats.get(row.seatId);
                        DestinationRow host = store.get(seat.destinationId);
                        return new Supply(
                            row.id,
                            new OverSsh(access.login(host, seat.login), KNOWN_HOSTS),
                            row.line);
                      });
            });
    next.ifPresent(this::supply);
    return next.isPresent();
  }

  private void supply(Supply supply) {
    String reason = null;
    try {
      knownHosts.add(supply.file(), List.of(supply.line()), Lease.UNLIMITED);
    } catch (PortException e) {
      reason = e.whole();
    }
    String why = reason;
    inNewTransaction(
        () -> {
          KnownHostSupplyRow row = store.supply(supply.id());
          row.reason = why;
          row.doneAt = why == null ? clock.now() : null;
          if (why == null) {
            journal.write(
                "seat.host-key-supplied",
                row.seatId,
                "Host key supplied to " + supply.file().name(),
                Map.of("line", supply.line()));
          }
          return null;
        });
  }
}
