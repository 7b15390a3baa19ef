package tolvin.service.look;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.AccountId;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.service.account.Readings;
import tolvin.service.effect.Effects;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Wakening;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.store.ClockStore;

/**
 * Reads accounts once more: a lease after they were written, since somebody else may have written
 * at the same moment, and where a reading did not find an entry.
 */
@ApplicationScoped
class SecondLooks implements JobHandler {
  private static final Duration AGAIN = Duration.ofSeconds(30);
  private static final Duration SOON = Duration.ofSeconds(1);
  private static final int MOST = 50;

  private final Effects effects;
  private final PlacementStore placements;
  private final Readings readings;
  private final Wakening wakening;
  private final ClockStore clock;

  SecondLooks(
      Effects effects,
      PlacementStore placements,
      Readings readings,
      Wakening wakening,
      ClockStore clock) {
    this.effects = effects;
    this.placements = placements;
    this.readings = readings;
    this.wakening = wakening;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.SECOND_LOOKS;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    confirmAbsences();
    lookAgain();
    return QuarkusTransaction.requiringNew().call(this::pause);
  }

  /** What is left over is due already; what comes up meanwhile wakes this. */
  private Optional<Duration> pause() {
    Instant now = clock.now();
    Duration until = placements.nextSecondLook().map(at -> Duration.between(now, at)).orElse(AGAIN);
    Duration atLeast = until.compareTo(SOON) < 0 ? SOON : until;
    return Optional.of(atLeast.compareTo(AGAIN) < 0 ? atLeast : AGAIN);
  }

  /** What was written a lease ago is read again; what somebody else's write lost is restored. */
  private void lookAgain() {
    for (PlacementRow placement :
        QuarkusTransaction.requiringNew().call(() -> placements.toLookAgain(clock.now(), MOST))) {
      Effect look = new Effect.LookAtAccount(new AccountId(placement.accountId));
      Effects.Job job =
          new Effects.Job(null, null, "second look", "Read again what was written a lease ago");
      boolean read = effects.perform(job, look).filter(Outcome.DONE::equals).isPresent();
      QuarkusTransaction.requiringNew()
          .run(
              () -> {
                if (read) {
                  readings.lookAgain(placement.id);
                } else {
                  placements.lock(placement.id).lookAgainAt = clock.now().plus(AGAIN);
                }
              });
    }
  }

  /** Confirms by a second reading that entries are gone which a first one did not find. */
  private void confirmAbsences() {
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
    }
  }
}
