package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.SeatId;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.service.destination.AccountStore;
import tolvin.service.integration.SeatStore;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.Readings;
import tolvin.service.store.ClockStore;

/**
 * Reads each account and each seat soon after it was added, so that what hangs on a key is known;
 * and each account once more a lease after it was written, since somebody else may have written at
 * the same moment.
 */
@ApplicationScoped
class FirstLooks {
  private static final Duration AGAIN = Duration.ofSeconds(30);
  private static final int MOST = 50;

  private final AccountStore accounts;
  private final SeatStore seats;
  private final Effects effects;
  private final PlacementStore placements;
  private final Readings readings;
  private final Wakening wakening;
  private final ClockStore clock;
  private final Map<UUID, Long> notBefore = new ConcurrentHashMap<>();

  FirstLooks(
      AccountStore accounts,
      SeatStore seats,
      Effects effects,
      PlacementStore placements,
      Readings readings,
      Wakening wakening,
      ClockStore clock) {
    this.accounts = accounts;
    this.seats = seats;
    this.effects = effects;
    this.placements = placements;
    this.readings = readings;
    this.wakening = wakening;
    this.clock = clock;
  }

  /** Reads a few; where it could not be read, nothing more is tried for a while. */
  void look() {
    Set<UUID> notNow = new HashSet<>();
    notBefore.forEach(
        (destination, until) -> {
          if (System.nanoTime() - until < 0) {
            notNow.add(destination);
          }
        });
    for (Look look : QuarkusTransaction.requiringNew().call(() -> unread(notNow))) {
      if (notNow.contains(look.at())) {
        continue;
      }
      Effects.Job job = new Effects.Job(null, null, "first look", "Read what is there");
      boolean done = effects.perform(job, look.effect()).filter(Outcome.DONE::equals).isPresent();
      if (!done) {
        notNow.add(look.at());
        notBefore.put(look.at(), System.nanoTime() + AGAIN.toNanos());
      }
    }
  }

  /** A reading that is due, and on which destination. */
  private record Look(UUID at, Effect effect) {}

  /** What was written a lease ago is read again; what somebody else's write lost is restored. */
  boolean lookAgain() {
    boolean any = false;
    for (PlacementRow placement : QuarkusTransaction.requiringNew().call(this::written)) {
      Effect look = new Effect.LookAtAccount(new AccountId(placement.accountId));
      Effects.Job job =
          new Effects.Job(null, null, "second look", "Read again what was written a lease ago");
      boolean read = effects.perform(job, look).filter(Outcome.DONE::equals).isPresent();
      any |=
          QuarkusTransaction.requiringNew()
              .call(
                  () -> {
                    if (read) {
                      return readings.lookAgain(placement.id);
                    }
                    placements.lock(placement.id).lookAgainAt = clock.now().plus(AGAIN);
                    return false;
                  });
    }
    return any;
  }

  /** Confirms by a second reading that entries are gone which a first one did not find. */
  boolean confirmAbsences() {
    boolean any = false;
    for (UUID account :
        QuarkusTransaction.requiringNew()
            .call(() -> placements.accountsToConfirm(clock.now(), MOST))) {
      Effect look = new Effect.LookAtAccount(new AccountId(account));
      Effects.Job job =
          new Effects.Job(null, null, "second look", "Read again whether an entry is gone");
      boolean read = effects.perform(job, look).filter(Outcome.DONE::equals).isPresent();
      if (read) {
        wakening.of(List.of(account));
      } else {
        QuarkusTransaction.requiringNew()
            .run(() -> placements.confirmLater(account, clock.now().plus(AGAIN)));
      }
      any |= read;
    }
    return any;
  }

  private List<PlacementRow> written() {
    return placements.toLookAgain(clock.now(), MOST);
  }

  private List<Look> unread(Set<UUID> notThere) {
    List<Look> looks = new ArrayList<>();
    seats
        .neverRead()
        .forEach(
            s -> looks.add(new Look(s.destinationId, new Effect.LookAtSeat(new SeatId(s.id)))));
    accounts
        .neverRead(notThere, MOST)
        .forEach(
            a ->
                looks.add(
                    new Look(a.destinationId, new Effect.LookAtAccount(new AccountId(a.id)))));
    return looks;
  }
}
