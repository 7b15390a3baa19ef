package tolvin.service.hostkey;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.port.KnownHostsPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.service.destination.Access;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.destination.KnownHostSupplyRow;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.store.ClockStore;

/** Brings announced host keys to the clients' files of known hosts. */
@ApplicationScoped
class KnownHostSupplies implements JobHandler {
  private static final Duration AGAIN = Duration.ofMinutes(1);
  private static final String KNOWN_HOSTS = ".ssh/known_hosts";

  private final DestinationStore store;
  private final SeatStore seats;
  private final Access access;
  private final KnownHostsPort knownHosts;
  private final ClockStore clock;
  private final Journal journal;

  KnownHostSupplies(
      DestinationStore store,
      SeatStore seats,
      Access access,
      KnownHostsPort knownHosts,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.seats = seats;
    this.access = access;
    this.knownHosts = knownHosts;
    this.clock = clock;
    this.journal = journal;
  }

  /** A line that a client's file of known hosts is to get. */
  private record Supply(UUID id, OverSsh file, String line) {}

  @Override
  public JobKind kind() {
    return JobKind.KNOWN_HOST;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    Optional<Supply> open =
        inNewTransaction(
            () ->
                Optional.ofNullable(store.supply(id))
                    .filter(row -> row.doneAt == null)
                    .map(this::supply));
    return open.filter(supply -> !isSupplied(supply)).map(failed -> AGAIN);
  }

  private Supply supply(KnownHostSupplyRow row) {
    SeatRow seat = seats.get(row.seatId);
    DestinationRow host = store.get(seat.destinationId);
    return new Supply(row.id, new OverSsh(access.login(host, seat.login), KNOWN_HOSTS), row.line);
  }

  private boolean isSupplied(Supply supply) {
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
    return why == null;
  }
}
