package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Stream;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.SeatPort;
import tolvin.core.rotation.Effect;
import tolvin.service.destination.Access;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.job.Wakening;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.rotation.AttemptRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.store.ClockStore;

/**
 * Looks after changes that got no answer. A server that was stuck may carry one out whenever it
 * goes on, so nothing may rest on its account or seat until that is impossible: what it could still
 * put in place is removed on a new connection, and what is there then is read back. Files with
 * private keys that an attempt left are removed the same way, and looked for once more a lease
 * later.
 *
 * <pre>
 *   unsettled, reserved ──removed, read back──▶ settled ──a lease later: looked for again──▶ over
 *         │  ▲
 *         └──┘ could not be reached: again, ever more slowly
 * </pre>
 */
@ApplicationScoped
public class Settler implements JobHandler {
  private static final Logger LOG = Logger.getLogger(Settler.class);
  private static final Duration FIRST_PAUSE = Duration.ofSeconds(1);
  private static final Duration LONGEST_PAUSE = Duration.ofMinutes(1);

  private final RotationStore store;
  private final AccountStore accounts;
  private final SeatStore seats;
  private final Access access;
  private final AccountPort accountPort;
  private final SeatPort seatPort;
  private final EffectHandlers outside;
  private final Wakening wakening;
  private final Journal journal;
  private final ClockStore clock;
  private final Jobs jobs;
  private final Duration lease;

  Settler(
      RotationStore store,
      AccountStore accounts,
      SeatStore seats,
      Access access,
      AccountPort accountPort,
      SeatPort seatPort,
      EffectHandlers outside,
      Wakening wakening,
      Journal journal,
      ClockStore clock,
      Jobs jobs,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease) {
    this.store = store;
    this.accounts = accounts;
    this.seats = seats;
    this.access = access;
    this.accountPort = accountPort;
    this.seatPort = seatPort;
    this.outside = outside;
    this.wakening = wakening;
    this.journal = journal;
    this.clock = clock;
    this.jobs = jobs;
    this.lease = lease;
  }

  @Override
  public JobKind kind() {
    return JobKind.SETTLEMENT;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    Optional<AttemptRow> attempt =
        inNewTransaction(() -> Optional.ofNullable(store.attempt(id)))
            .filter(row -> row.settleAt != null);
    attempt.ifPresent(this::settle);
    return attempt.flatMap(row -> inNewTransaction(() -> pause(row.id)));
  }

  private Optional<Duration> pause(UUID attempt) {
    Instant now = clock.now();
    return Optional.ofNullable(store.attempt(attempt).settleAt)
        .map(at -> at.isAfter(now) ? Duration.between(now, at) : Duration.ZERO);
  }

  /**
   * What an earlier worker left running of a rotation or a placement is nobody's any more, and is
   * to be settled. Not in the transaction that begins: whoever records what came of an attempt
   * locks that first, and what it belongs to after it.
   */
  public void abandonAttempts(UUID rotation, UUID placement) {
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              Instant now = clock.now();
              settle(store.abandon(rotation, placement, now), now);
            });
  }

  /** Likewise for whatever nobody came back to. */
  void abandonOverdue() {
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              Instant now = clock.now();
              settle(store.abandonOverdue(now), now);
            });
  }

  private void settle(List<UUID> attempts, Instant now) {
    attempts.forEach(attempt -> jobs.add(JobKind.SETTLEMENT, attempt, now));
  }

  private void settle(AttemptRow attempt) {
    try {
      if (!isImpossible(attempt) && attempt.unsettled && !leaseIsOver(attempt)) {
        QuarkusTransaction.requiringNew().run(() -> later(attempt));
        return;
      }
      EffectHandlers.Recording found = attempt.unsettled ? outside.look(look(attempt)) : () -> {};
      QuarkusTransaction.requiringNew().run(() -> settled(attempt, found));
      if (attempt.unsettled) {
        wakening.of(accountsOf(attempt));
      }
    } catch (PortException | RuntimeException e) {
      if (attempt.unsettled) {
        LOG.infof("Not settled yet: %s: %s", attempt.intent, e.getMessage());
      }
      QuarkusTransaction.requiringNew().run(() -> later(attempt));
    }
  }

  /** Whether it cannot land any more, wherever it may have been going to. */
  private boolean isImpossible(AttemptRow attempt) throws PortException {
    boolean impossible = true;
    String name = Effects.nameOf(attempt.id);
    for (Place place : places(attempt)) {
      if (!(place instanceof Place.ByHand)) {
        impossible &=
            attempt.accountId != null
                ? accountPort.settle(place, name)
                : seatPort.settle(place, name);
      }
    }
    return impossible;
  }

  /**
   * Where nothing can be made impossible, a request that was not carried out in a lease is lost.
   */
  private boolean leaseIsOver(AttemptRow attempt) {
    return QuarkusTransaction.requiringNew()
        .call(() -> attempt.startedAt.plus(lease.multipliedBy(2)).isBefore(clock.now()));
  }

  private static Effect look(AttemptRow attempt) {
    return attempt.accountId != null
        ? new Effect.LookAtAccount(new AccountId(attempt.accountId))
        : new Effect.LookAtSeat(new SeatId(attempt.seatId));
  }

  private void settled(AttemptRow attempt, EffectHandlers.Recording found) {
    AttemptRow row = store.attempt(attempt.id);
    Instant now = clock.now();
    if (!row.unsettled) {
      row.settleAt = null;
      return;
    }
    // a file whose making got no answer may still appear: it is looked for once more
    row.settleAt = now.plus(lease);
    row.unsettled = false;
    found.record();
    store.release(row.id);
    journal.write(
        "effect.settled",
        row.accountId == null ? row.seatId : row.accountId,
        "Got no answer, and cannot land any more: " + row.intent,
        row.rotationId == null ? Map.of() : Map.of("rotation", row.rotationId.toString()));
  }

  private void later(AttemptRow attempt) {
    AttemptRow row = store.attempt(attempt.id);
    Instant now = clock.now();
    Duration age = Duration.between(row.startedAt, now).dividedBy(4);
    Duration first = row.unsettled ? FIRST_PAUSE : FIRST_PAUSE.multipliedBy(10);
    Duration pause = age.compareTo(first) < 0 ? first : age;
    row.settleAt = now.plus(pause.compareTo(LONGEST_PAUSE) < 0 ? pause : LONGEST_PAUSE);
  }

  private List<Place> places(AttemptRow attempt) throws PortException {
    return inNewTransaction(
        () -> {
          if (attempt.accountId != null) {
            return List.of(access.account(accounts.get(attempt.accountId)));
          }
          SeatRow seat = seats.get(attempt.seatId);
          return seat.destinationId == null
              ? List.<Place>of()
              : Stream.concat(Stream.of(seat.path), seat.morePaths.stream())
                  .map(path -> access.seat(seat.destinationId, seat.kind, seat.login, path))
                  .toList();
        });
  }

  private List<UUID> accountsOf(AttemptRow attempt) {
    return attempt.accountId != null
        ? List.of(attempt.accountId)
        : inNewTransaction(
            () ->
                seats.tiesOfSeats(List.of(attempt.seatId)).stream().map(t -> t.accountId).toList());
  }
}
