package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.PlacementState;
import tolvin.core.key.Fingerprint;
import tolvin.core.removal.Loss;
import tolvin.core.removal.Removal;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.service.effect.Effects;
import tolvin.service.effect.Settler;
import tolvin.service.job.Backoff;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.placement.Placements;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.rotation.AttemptRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.removal.Removals;
import tolvin.service.store.ClockStore;

/** Places and withdraws single keys, as people or findings want it, outside rotations. */
@ApplicationScoped
class PlacementRunner implements JobHandler {
  private static final Duration AFTER_TROUBLE = Duration.ofSeconds(5);
  private static final Duration AFTER_COPYING = Duration.ofMillis(100);
  private static final Backoff RETRY = new Backoff(Duration.ofSeconds(1), Duration.ofMinutes(5));
  private static final int MOST_WAITS = 200;

  private final RotationStore rotations;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Effects effects;
  private final Placements newPlacements;
  private final ClockStore clock;
  private final Removals removals;
  private final Settler settler;
  private final Journal journal;

  PlacementRunner(
      RotationStore rotations,
      PlacementStore placements,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      Effects effects,
      Placements newPlacements,
      ClockStore clock,
      Removals removals,
      Settler settler,
      Journal journal) {
    this.rotations = rotations;
    this.placements = placements;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.effects = effects;
    this.newPlacements = newPlacements;
    this.clock = clock;
    this.removals = removals;
    this.settler = settler;
    this.journal = journal;
  }

  @Override
  public JobKind kind() {
    return JobKind.PLACEMENT;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    if (open(id).isPresent()) {
      settler.abandonAttempts(null, id);
    }
    return open(id).map(row -> place(row, turn)).orElseGet(() -> tryOut(id, turn));
  }

  private Optional<PlacementRow> open(UUID id) {
    return QuarkusTransaction.requiringNew()
        .call(() -> placements.find(id).filter(PlacementRow::isToBeDone));
  }

  private Optional<Duration> place(PlacementRow row, Turn turn) {
    KeyRow key = QuarkusTransaction.requiringNew().call(() -> keys.get(row.keyId));
    Fingerprint fingerprint = new Fingerprint(key.fingerprint);
    AccountId account = new AccountId(row.accountId);
    String where = QuarkusTransaction.requiringNew().call(() -> accountName(row.accountId));
    boolean out = row.state == PlacementState.WITHDRAWING;
    Effect effect =
        out
            ? new Effect.Withdraw(account, fingerprint, row.line)
            : new Effect.Place(account, fingerprint);
    String action = out ? "Withdraw " : "Place ";
    String side = out ? " from " : " on ";
    Effects.Job job =
        new Effects.Job(null, row.id, "placement", action + fingerprint + side + where);
    if (out) {
      Optional<Duration> held = held(row, fingerprint, job);
      if (held.isPresent()) {
        return held.filter(pause -> !pause.isZero());
      }
      if (open(row.id).isEmpty()) {
        return Optional.empty(); // what was just read shows that it is gone already
      }
    }
    Optional<Outcome> outcome = effects.perform(job, effect);
    return outcome.equals(Optional.of(Outcome.DONE))
        ? tryOut(row.id, turn)
        : QuarkusTransaction.requiringNew().call(() -> later(row.id));
  }

  /**
   * Signs in with a key that was just placed, if Tolvin has its private key and did not do so yet:
   * a worker may have been lost in between.
   *
   * @return after which time it is done if it cannot be now
   */
  private Optional<Duration> tryOut(UUID id, Turn turn) {
    Optional<Trial> trial = QuarkusTransaction.requiringNew().call(() -> untried(id));
    Optional<Duration> early = trial.map(Trial::early).filter(wait -> !wait.isNegative());
    return early.isPresent()
        ? early.map(AFTER_COPYING::plus)
        : trial.filter(t -> !prove(t, turn)).map(t -> AFTER_TROUBLE);
  }

  /**
   * A sign-in to make.
   *
   * @param early how long it is until it may be made; negative if it may be now
   */
  private record Trial(Effects.Job job, Effect effect, Duration early) {}

  private Optional<Trial> untried(UUID id) {
    return placements
        .find(id)
        .filter(row -> row.state == PlacementState.PLACED && row.rotationId == null)
        .filter(row -> rotations.lastTrial(id).isEmpty())
        .flatMap(
            row -> {
              Fingerprint key = new Fingerprint(keys.get(row.keyId).fingerprint);
              String sentence = "Sign in to " + accountName(row.accountId) + " with " + key;
              return newPlacements
                  .triedFrom(row)
                  .map(
                      from ->
                          new Trial(
                              new Effects.Job(null, id, "placement", sentence),
                              new Effect.Prove(new AccountId(row.accountId), key),
                              Duration.between(clock.now(), from)));
            });
  }

  /**
   * Asks once more whether a key may go, on what was just read. One that may not any more stays; a
   * person is told why and may want it again.
   *
   * @return empty if it may go; else after which time that is asked again, zero if it stays
   */
  private Optional<Duration> held(PlacementRow row, Fingerprint key, Effects.Job job) {
    Removal removal = Removals.of(row.accountId, key.value(), Removal.Door.WITHDRAWAL);
    Optional<String> unread = removals.read(removal, job, Duration.ZERO);
    List<Loss> open =
        unread.isPresent() ? List.of() : Loss.open(removals.againstNow(removal), row.overruled);
    if (unread.isEmpty() && open.isEmpty()) {
      return Optional.empty();
    }
    String reason = unread.orElseGet(() -> Removals.sentence(open));
    boolean isFinal = unread.isEmpty() && open.stream().allMatch(Loss::mayBeOverruled);
    boolean stays =
        QuarkusTransaction.requiringNew()
            .call(
                () -> {
                  PlacementRow again = placements.lock(row.id);
                  if (isFinal && again.overruled == row.overruled) {
                    again.stays(reason);
                    journal.tell("placement.withdrawal-held", row.id, reason);
                    return true;
                  }
                  again.reason = reason; // unless a person overruled it just now
                  return false;
                });
    return Optional.of(stays ? Duration.ZERO : AFTER_TROUBLE);
  }

  /** Somebody else may be reading the account just now: the trial waits for them. */
  private boolean prove(Trial trial, Turn turn) {
    for (int i = 0; i < MOST_WAITS && !turn.isEnding(); i++) {
      if (effects.perform(trial.job(), trial.effect()).isPresent()) {
        return true;
      }
      if (!Effects.pause()) {
        return false;
      }
    }
    return false;
  }

  /**
   * Keeps why it could not be done.
   *
   * @return after which time it is tried again; empty if it is over
   */
  private Optional<Duration> later(UUID id) {
    PlacementRow row = placements.lock(id);
    if (row.state == PlacementState.WITHDRAWN) {
      return Optional.empty(); // it was taken back
    }
    List<AttemptRow> attempts = rotations.attemptsOfPlacement(id);
    long failures = attempts.stream().filter(a -> a.outcome == Outcome.FAILED).count();
    attempts.stream()
        .map(a -> a.reason)
        .filter(reason -> !reason.isEmpty())
        .reduce((a, b) -> b)
        .ifPresent(reason -> row.reason = reason);
    return Optional.of(RETRY.after(failures));
  }

  private String accountName(UUID id) {
    return destinations.nameOf(accounts.get(id));
  }
}
