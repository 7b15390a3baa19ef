package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import java.util.stream.Stream;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.estate.SeatId;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.SeatPort;
import tolvin.service.destination.Access;
import tolvin.service.handover.ByHand;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.store.ClockStore;

/** What the files of seats hold: where they are, read, and kept on record. */
@ApplicationScoped
class SeatHoldings {
  private final SeatPort seatPort;
  private final Access access;
  private final ByHand byHand;
  private final SeatStore seats;
  private final ClockStore clock;
  private final Jobs jobs;
  private final Duration lookEvery;

  SeatHoldings(
      SeatPort seatPort,
      Access access,
      ByHand byHand,
      SeatStore seats,
      ClockStore clock,
      Jobs jobs,
      @ConfigProperty(name = "tolvin.seat.look-every") Duration lookEvery) {
    this.seatPort = seatPort;
    this.access = access;
    this.byHand = byHand;
    this.seats = seats;
    this.clock = clock;
    this.jobs = jobs;
    this.lookEvery = lookEvery;
  }

  /** Keeps what the files of a seat hold, in the order in which its client offers it. */
  void record(SeatId id, List<SeatPort.Holding> found) {
    SeatRow row = seats.lock(id.value());
    List<String> offers = fingerprints(found, SeatPort.Holding::offers);
    Instant now = clock.now();
    boolean firstReading = row.readAt == null;
    if (!firstReading && !offers.equals(row.offers)) {
      row.offersSince = now;
    }
    if (firstReading || !offers.equals(row.offers)) {
      row.sameSince = now;
    }
    if (row.destinationId != null) {
      jobs.wakeAfter(JobKind.SEAT, row.id, lookEvery);
    }
    row.offers = offers;
    row.keeps = fingerprints(found, SeatPort.Holding::keeps);
    row.everOffered = union(row.everOffered, offers);
    row.readAt = now;
  }

  private static List<String> fingerprints(
      List<SeatPort.Holding> found, Function<SeatPort.Holding, Optional<Fingerprint>> which) {
    return found.stream()
        .flatMap(holding -> which.apply(holding).stream())
        .map(Fingerprint::value)
        .distinct()
        .toList();
  }

  /** What each file of a seat holds, the one that its client offers first at the head. */
  List<SeatPort.Holding> held(SeatId id) throws PortException {
    if (isByHand(id)) {
      return List.of(byHand.holding(id.value()));
    }
    List<SeatPort.Holding> held = new ArrayList<>();
    for (Place file : places(id)) {
      held.add(seatPort.read(file));
    }
    return held;
  }

  /** Whether only a person changes it. */
  boolean isByHand(SeatId seat) {
    return inNewTransaction(() -> seats.get(seat.value()).destinationId == null);
  }

  /** Where the file is that its client offers first. */
  Place first(SeatId seat) {
    return places(seat).get(0);
  }

  /** Where its files are, in the order in which its client offers them. */
  List<Place> places(SeatId seat) {
    return inNewTransaction(
        () -> {
          SeatRow row = seats.get(seat.value());
          return Stream.concat(Stream.of(row.path), row.morePaths.stream())
              .map(path -> access.seat(row.destinationId, row.kind, row.login, path))
              .toList();
        });
  }

  /** Both, each once, in their order. */
  static List<String> union(List<String> one, List<String> other) {
    Set<String> all = new LinkedHashSet<>(one);
    all.addAll(other);
    return new ArrayList<>(all);
  }
}
