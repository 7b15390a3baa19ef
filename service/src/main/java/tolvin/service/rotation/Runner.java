package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.PlacementState;
import tolvin.core.key.Fingerprint;
import tolvin.core.removal.Loss;
import tolvin.core.removal.Removal;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Decision;
import tolvin.core.rotation.Effect;
import tolvin.core.rotation.Question;
import tolvin.core.rotation.RotationPlanner;
import tolvin.core.rotation.Stage;
import tolvin.core.word.Words;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.store.ClockStore;

/**
 * The workers: each claims a rotation (or a single placement) that is due to be looked at, with a
 * lease, and makes its moves until it has to wait. Any number of instances may run on one database;
 * one that dies leaves a lease that runs out, and attempts whose outcome is unknown.
 */
@ApplicationScoped
public class Runner {
  private static final Logger LOG = Logger.getLogger(Runner.class);
  private static final Duration POLL = Duration.ofMillis(300);
  private static final Duration LOOK_AGAIN = Duration.ofSeconds(30);
  private static final Duration BUSY = Duration.ofMillis(500);
  private static final Duration AFTER_TROUBLE = Duration.ofSeconds(5);
  private static final Duration LONGEST_RETRY = Duration.ofMinutes(5);
  private static final int MOST_WAITS = 40;
  private static final int MOST_MOVES = 1000;

  private final RotationStore rotations;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Snapshots snapshots;
  private final Effects effects;
  private final Rotations ends;
  private final Coffer coffer;
  private final Removals removals;
  private final Journal journal;
  private final Cleaner aftercare;
  private final ClockStore clock;
  private final int workers;
  private final boolean enabled;
  private final String instance = UUID.randomUUID().toString().substring(0, 8);
  private final Semaphore news = new Semaphore(0);
  private volatile boolean stopping;
  private ExecutorService pool;

  Runner(
      RotationStore rotations,
      PlacementStore placements,
      KeyStore keys,
      AccountStore accounts,
      DestinationStore destinations,
      Snapshots snapshots,
      Effects effects,
      Rotations ends,
      Coffer coffer,
      Removals removals,
      Journal journal,
      Cleaner aftercare,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.workers") int workers,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.rotations = rotations;
    this.placements = placements;
    this.keys = keys;
    this.accounts = accounts;
    this.destinations = destinations;
    this.snapshots = snapshots;
    this.effects = effects;
    this.ends = ends;
    this.coffer = coffer;
    this.removals = removals;
    this.journal = journal;
    this.aftercare = aftercare;
    this.clock = clock;
    this.workers = workers;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (!enabled) {
      return;
    }
    pool = Executors.newFixedThreadPool(workers + 1, task -> new Thread(task, "runner"));
    for (int i = 0; i < workers; i++) {
      String worker = instance + "-" + i;
      pool.execute(() -> work(worker));
    }
    pool.execute(this::watch);
  }

  void stop(@Observes ShutdownEvent event) throws InterruptedException {
    stopping = true;
    if (pool != null) {
      pool.shutdown();
      news.release(workers * 2);
      if (!pool.awaitTermination(20, TimeUnit.SECONDS)) {
        LOG.warn("A worker is still busy; another instance takes over when its lease has run out");
      }
    }
  }

  /** There is something new: a worker looks at once instead of at its next turn. */
  public void wake() {
    if (news.availablePermits() < workers) {
      news.release();
    }
  }

  /** One looks for all workers whether something is due; whoever finds work wakes the next one. */
  private void watch() {
    while (!stopping) {
      try {
        if (news.availablePermits() == 0 && QuarkusTransaction.requiringNew().call(this::isDue)) {
          wake();
        }
        TimeUnit.MILLISECONDS.sleep(POLL.toMillis());
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      } catch (RuntimeException e) {
        LOG.warnf("It could not be seen what is due: %s", e.getMessage());
        pause(AFTER_TROUBLE);
      }
    }
  }

  private boolean isDue() {
    return rotations.isAnyDue(clock.now());
  }

  private void work(String worker) {
    while (!stopping) {
      try {
        if (!(rotate(worker) | place(worker))) {
          news.acquire();
        }
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return;
      } catch (RuntimeException | Error e) {
        // what it was at is taken over when the lease has run out; the worker itself goes on
        LOG.warn("A worker could not go on; it tries again", e);
        pause(AFTER_TROUBLE);
      }
    }
  }

  private boolean rotate(String worker) {
    Optional<UUID> claimed =
        QuarkusTransaction.requiringNew()
            .call(
                () -> {
                  Instant now = clock.now();
                  return rotations.claim(now, now.plus(effects.lease()), worker).map(r -> r.id);
                });
    claimed.ifPresent(
        id -> {
          wake(); // there may be more than this one
          abandon(id, null);
          try {
            moves(id, worker);
          } catch (RuntimeException e) {
            LOG.warnf(e, "Rotation %s could not go on now", id);
            Instant now = QuarkusTransaction.requiringNew().call(clock::now);
            waiting(
                id,
                now,
                "an internal error; it is in the service's log",
                AFTER_TROUBLE,
                true,
                null);
          }
        });
    return claimed.isPresent();
  }

  /**
   * Not in the transaction that claims: whoever records what came of an attempt locks that first,
   * and what it belongs to after it.
   */
  private void abandon(UUID rotation, UUID placement) {
    QuarkusTransaction.requiringNew()
        .run(() -> rotations.abandon(rotation, placement, clock.now()));
  }

  private void moves(UUID id, String worker) {
    for (int i = 0; i < MOST_MOVES && !stopping; i++) {
      Situation situation = snapshots.situation(id);
      showStage(situation);
      Decision move = situation.next();
      if (!(move instanceof Decision.Act act)) {
        rest(situation, move);
        return;
      }
      Optional<Outcome> outcome = done(situation, act, worker);
      if (outcome.isEmpty()) {
        waiting(
            id,
            situation.snapshot().now(),
            "somebody else is at the same account or seat",
            BUSY,
            false,
            null);
        return;
      }
    }
    Instant now = QuarkusTransaction.requiringNew().call(clock::now);
    waiting(id, now, null, Duration.ZERO, false, null);
  }

  /**
   * Does it, after reading again what it rests on and asking once more. Where that says something
   * else now, or could not be read, the next move is decided from what is known then.
   *
   * @return empty if somebody else is at it just now
   */
  private Optional<Outcome> done(Situation situation, Decision.Act act, String worker) {
    List<Effect> looks = RotationPlanner.preconditions(act.effect(), situation.snapshot());
    for (Effect look : looks) {
      Optional<Outcome> read = effects.perform(job(situation, look, worker), look);
      if (!read.equals(Optional.of(Outcome.DONE))) {
        return read;
      }
    }
    if (!looks.isEmpty() && !snapshots.situation(situation.rotation()).next().equals(act)) {
      return Optional.of(Outcome.FAILED);
    }
    return effects.perform(job(situation, act.effect(), worker), act.effect());
  }

  private static Effects.Job job(Situation situation, Effect effect, String worker) {
    return new Effects.Job(
        situation.rotation(), null, worker, effect.sentence(situation.snapshot()));
  }

  private void showStage(Situation now) {
    Stage stage = Stage.of(now.snapshot(), now.context());
    if (stage == now.stage()) {
      return;
    }
    UUID id = now.rotation();
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              RotationRow row = rotations.lock(id);
              if (stage != row.stage) {
                row.stage = stage;
                journal.tell("rotation.moved", id, Words.of(stage));
              }
            });
  }

  private void rest(Situation situation, Decision move) {
    UUID id = situation.rotation();
    Instant since = situation.snapshot().now();
    if (move instanceof Decision.Done) {
      List<UUID> still = ends.finish(id);
      if (still.isEmpty()) {
        aftercare.wake();
      } else {
        waiting(id, since, "the key that goes is still placed, on record", LOOK_AGAIN, true, null);
      }
    } else if (move instanceof Decision.Ask ask) {
      waiting(id, since, ask.reason(), LOOK_AGAIN, true, ask.question());
    } else {
      Decision.Wait wait = (Decision.Wait) move;
      Duration pause =
          wait.until()
              .map(until -> Duration.between(situation.snapshot().now(), until))
              .filter(d -> d.compareTo(LOOK_AGAIN) < 0)
              .orElse(LOOK_AGAIN);
      waiting(id, since, wait.reason(), pause, wait.person(), null);
    }
  }

  /**
   * Lays a rotation down until its next turn.
   *
   * @param since when the snapshot was taken on which it was decided to wait
   */
  private void waiting(
      UUID id, Instant since, String reason, Duration pause, boolean person, Question question) {
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              RotationRow row = rotations.lock(id);
              boolean changed =
                  !java.util.Objects.equals(row.waitingFor, reason) || row.needsPerson != person;
              row.waitingFor = reason;
              row.needsPerson = person;
              row.question = question == null ? null : StoredQuestion.of(question);
              row.leaseUntil = null;
              row.leaseOwner = null;
              Instant now = clock.now();
              // News that came while the worker was at it must not wait for the next turn.
              row.nextLookAt = row.wokenAt.isBefore(since) ? now.plus(pause) : now;
              if (changed && reason != null) {
                journal.tell(person ? "rotation.needs-person" : "rotation.waiting", id, reason);
              }
            });
  }

  private boolean place(String worker) {
    Optional<PlacementRow> claimed =
        QuarkusTransaction.requiringNew()
            .call(
                () -> {
                  Instant now = clock.now();
                  return placements.claim(now, now.plus(effects.lease()));
                });
    claimed.ifPresent(
        row -> {
          wake();
          abandon(null, row.id);
          place(row, worker);
        });
    return claimed.isPresent();
  }

  private void place(PlacementRow row, String worker) {
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
    Effects.Job job = new Effects.Job(null, row.id, worker, action + fingerprint + side + where);
    if (out && !mayGo(row, fingerprint, job)) {
      return;
    }
    Optional<Outcome> outcome = effects.perform(job, effect);
    boolean done = outcome.equals(Optional.of(Outcome.DONE));
    if (done && !out && coffer.holds(Coffer.PRIVATE_KEY, key.id)) {
      prove(
          new Effects.Job(null, row.id, worker, "Sign in to " + where + " with " + fingerprint),
          new Effect.Prove(account, fingerprint));
    }
    QuarkusTransaction.requiringNew().run(() -> settle(row.id, done));
  }

  /**
   * Asks once more whether a key may go, on what was just read. One that may not any more stays; a
   * person is told why and may want it again.
   */
  private boolean mayGo(PlacementRow row, Fingerprint key, Effects.Job job) {
    Removal removal = Removals.of(row.accountId, key.value(), Removal.Door.WITHDRAWAL);
    Optional<String> unread = removals.read(removal, job, Duration.ZERO);
    List<Loss> open =
        unread.isPresent() ? List.of() : Loss.open(removals.againstNow(removal), row.overruled);
    if (unread.isEmpty() && open.isEmpty()) {
      return true;
    }
    String reason = unread.orElseGet(() -> Removals.sentence(open));
    boolean stays = unread.isEmpty() && open.stream().allMatch(Loss::mayBeOverruled);
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              PlacementRow again = placements.lock(row.id);
              again.leaseUntil = null;
              if (stays) {
                again.stays(reason);
                journal.tell("placement.withdrawal-held", row.id, reason);
              } else {
                again.reason = reason;
                again.nextLookAt = clock.now().plus(AFTER_TROUBLE);
              }
            });
    return false;
  }

  /** Somebody else may be reading the account just now: the trial waits for them. */
  private void prove(Effects.Job job, Effect trial) {
    for (int i = 0; i < MOST_WAITS && !stopping; i++) {
      if (effects.perform(job, trial).isPresent()) {
        return;
      }
      pause(BUSY);
    }
  }

  private void settle(UUID id, boolean done) {
    PlacementRow row = placements.lock(id);
    row.leaseUntil = null;
    if (done) {
      return;
    }
    List<AttemptRow> attempts = rotations.attemptsOfPlacement(id);
    long failures = attempts.stream().filter(a -> a.outcome == Attempt.Outcome.FAILED).count();
    Duration pause = Duration.ofSeconds(1L << Math.min(failures, 12));
    row.nextLookAt = clock.now().plus(pause.compareTo(LONGEST_RETRY) < 0 ? pause : LONGEST_RETRY);
    attempts.stream()
        .map(a -> a.reason)
        .filter(reason -> !reason.isEmpty())
        .reduce((a, b) -> b)
        .ifPresent(reason -> row.reason = reason);
  }

  private String accountName(UUID id) {
    return destinations.nameOf(accounts.get(id));
  }

  private static void pause(Duration time) {
    try {
      TimeUnit.MILLISECONDS.sleep(time.toMillis());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }
}
