package tolvin.service.look;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Event;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.SeatPort;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.service.destination.Access;
import tolvin.service.effect.Effects;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.integration.IntegrationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.rotation.RotationStore;

/**
 * Reads seats again, so that it is noticed when one offers a key that no account accepts, whoever
 * brought that about, and when private keys lie about beside it.
 */
@ApplicationScoped
class SeatWatch implements JobHandler {
  private static final Logger LOG = Logger.getLogger(SeatWatch.class);
  private static final Duration NOT_READ = Duration.ofMinutes(2);
  private static final Duration BUSY = Duration.ofSeconds(5);
  private static final Pattern WRITTEN_BY_US = Pattern.compile("\\.tolvin-([0-9a-f]{12}|new)$");

  private final SeatStore seats;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final IntegrationStore integrations;
  private final RotationStore rotations;
  private final Access access;
  private final SeatPort seatPort;
  private final Effects effects;
  private final Event<SeatState> states;
  private final Journal journal;
  private final Duration every;

  SeatWatch(
      SeatStore seats,
      AccountStore accounts,
      DestinationStore destinations,
      IntegrationStore integrations,
      RotationStore rotations,
      Access access,
      SeatPort seatPort,
      Effects effects,
      Event<SeatState> states,
      Journal journal,
      @ConfigProperty(name = "tolvin.seat.look-every") Duration every) {
    this.seats = seats;
    this.accounts = accounts;
    this.destinations = destinations;
    this.integrations = integrations;
    this.rotations = rotations;
    this.access = access;
    this.seatPort = seatPort;
    this.effects = effects;
    this.states = states;
    this.journal = journal;
    this.every = every;
  }

  @Override
  public JobKind kind() {
    return JobKind.SEAT;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    boolean isReached =
        inNewTransaction(
            () ->
                seats
                    .find(id)
                    .filter(seat -> seat.validUntil == null && seat.destinationId != null)
                    .isPresent());
    return isReached ? Optional.of(look(id)) : Optional.empty();
  }

  /**
   * Reads a seat, and the accounts that seem to refuse it.
   *
   * @return after how long it is to be read again
   */
  private Duration look(UUID id) {
    if (inNewTransaction(() -> destinations.get(seats.get(id).destinationId).stoppedBecause)
        != null) {
      return NOT_READ;
    }
    Optional<Outcome> read = read(new Effect.LookAtSeat(new SeatId(id)));
    if (read.isEmpty() || read.get() != Outcome.DONE) {
      return read.isEmpty() ? BUSY : NOT_READ;
    }
    if (!inNewTransaction(() -> refused(seats.get(id))).isEmpty()) {
      for (TieRow tie : inNewTransaction(() -> seats.tiesOfSeats(List.of(id)))) {
        read = read(new Effect.LookAtAccount(new AccountId(tie.accountId)));
        if (read.isEmpty() || read.get() != Outcome.DONE) {
          return read.isEmpty() ? BUSY : NOT_READ;
        }
      }
      read = read(new Effect.LookAtSeat(new SeatId(id))); // either may have changed meanwhile
      if (read.isEmpty() || read.get() != Outcome.DONE) {
        return BUSY;
      }
    }
    removeLeftFiles(id);
    QuarkusTransaction.requiringNew().run(() -> states.fire(state(seats.get(id))));
    return every;
  }

  private Optional<Outcome> read(Effect look) {
    return effects.perform(
        new Effects.Job(null, null, "seat watch", "Read again what clients sign in with"), look);
  }

  private SeatState state(SeatRow seat) {
    boolean rotating = rotations.isRotating(seat.everOffered);
    List<String> left =
        rotating ? List.of() : seat.keeps.stream().filter(k -> !seat.offers.contains(k)).toList();
    return new SeatState(
        seat.id,
        seat.destinationId,
        seat.path + " on " + destinations.get(seat.destinationId).name,
        refused(seat),
        left);
  }

  /** The accounts that were read and accept nothing of what the seat offers. */
  private List<SeatState.Refused> refused(SeatRow seat) {
    List<SeatState.Refused> refused = new ArrayList<>();
    if (seat.offers.isEmpty()) {
      return refused;
    }
    for (TieRow tie : seats.tiesOfSeats(List.of(seat.id))) {
      AccountRow account = accounts.get(tie.accountId);
      boolean accepted =
          account.readAt == null
              || account.registered.stream()
                  .filter(r -> r.endsAt() == null || r.endsAt().isAfter(account.readAt))
                  .anyMatch(r -> seat.offers.contains(r.key()));
      if (!accepted) {
        refused.add(
            new SeatState.Refused(
                account.id,
                account.destinationId,
                integrations.get(seat.integrationId).name + " → " + destinations.nameOf(account),
                seat.offers));
      }
    }
    return refused;
  }

  /** Files that an attempt left beside a seat which nobody is at any more. */
  private void removeLeftFiles(UUID id) {
    List<Place> places =
        inNewTransaction(
            () -> {
              SeatRow seat = seats.get(id);
              return java.util.stream.Stream.concat(
                      java.util.stream.Stream.of(seat.path), seat.morePaths.stream())
                  .map(path -> access.seat(seat.destinationId, seat.kind, seat.login, path))
                  .toList();
            });
    for (Place place : places) {
      try {
        for (String name : seatPort.leftBehind(place)) {
          Matcher ours = WRITTEN_BY_US.matcher(name);
          if (ours.find() && !inNewTransaction(() -> rotations.isBeingChanged(id))) {
            seatPort.settle(place, ours.group(1));
            QuarkusTransaction.requiringNew()
                .run(
                    () ->
                        journal.write(
                            "seat.left-file-removed",
                            id,
                            "Removed " + name + ", which an interrupted change had left",
                            Map.of()));
          }
        }
      } catch (PortException e) {
        LOG.infof("What lies beside %s could not be seen: %s", place.name(), e.getMessage());
      }
    }
  }
}
