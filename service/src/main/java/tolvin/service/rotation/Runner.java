package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import org.jboss.logging.Logger;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Decision;
import tolvin.core.rotation.Effect;
import tolvin.core.rotation.Question;
import tolvin.core.rotation.RotationPlanner;
import tolvin.core.rotation.Stage;
import tolvin.core.word.Words;
import tolvin.service.effect.Effects;
import tolvin.service.effect.Settler;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.rotation.StoredQuestion;
import tolvin.service.snapshot.Situation;
import tolvin.service.snapshot.Snapshots;
import tolvin.service.store.ClockStore;

/**
 * Makes the moves of one rotation until it has to wait. Any number of instances may run on one
 * database; one that dies leaves attempts whose outcome is unknown, and its rotation to another.
 */
@ApplicationScoped
class Runner implements JobHandler {
  private static final Logger LOG = Logger.getLogger(Runner.class);
  private static final Duration LOOK_AGAIN = Duration.ofSeconds(30);
  private static final Duration BUSY = Duration.ofMillis(500);
  private static final Duration AFTER_TROUBLE = Duration.ofSeconds(5);
  private static final int MOST_MOVES = 1000;

  private final RotationStore rotations;
  private final Snapshots snapshots;
  private final Effects effects;
  private final Rotations ends;
  private final Settler settler;
  private final Journal journal;
  private final ClockStore clock;

  Runner(
      RotationStore rotations,
      Snapshots snapshots,
      Effects effects,
      Rotations ends,
      Settler settler,
      Journal journal,
      ClockStore clock) {
    this.rotations = rotations;
    this.snapshots = snapshots;
    this.effects = effects;
    this.ends = ends;
    this.settler = settler;
    this.journal = journal;
    this.clock = clock;
  }

  @Override
  public JobKind kind() {
    return JobKind.ROTATION;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    boolean isOver =
        QuarkusTransaction.requiringNew()
            .call(() -> rotations.find(id).filter(r -> r.endedAt == null).isEmpty());
    if (isOver) {
      return Optional.empty();
    }
    settler.abandonAttempts(id, null);
    try {
      return moves(id, turn);
    } catch (RuntimeException e) {
      LOG.warnf(e, "Rotation %s could not go on now", id);
      return waiting(
          id, "an internal error; it is in the service's log", AFTER_TROUBLE, true, null);
    }
  }

  private Optional<Duration> moves(UUID id, Turn turn) {
    for (int i = 0; i < MOST_MOVES && !turn.isEnding(); i++) {
      Situation situation = snapshots.situation(id);
      showStage(situation);
      Decision move = situation.next();
      if (!(move instanceof Decision.Act act)) {
        return rest(situation, move);
      }
      Optional<Outcome> outcome = done(situation, act);
      if (outcome.isEmpty()) {
        return waiting(id, "somebody else is at the same account or seat", BUSY, false, null);
      }
    }
    return waiting(id, null, Duration.ZERO, false, null);
  }

  /**
   * Does it, after reading again what it rests on and asking once more. Where that says something
   * else now, or could not be read, the next move is decided from what is known then.
   *
   * @return empty if somebody else is at it just now
   */
  private Optional<Outcome> done(Situation situation, Decision.Act act) {
    List<Effect> looks = RotationPlanner.preconditions(act.effect(), situation.snapshot());
    for (Effect look : looks) {
      Optional<Outcome> read = effects.perform(job(situation, look), look);
      if (!read.equals(Optional.of(Outcome.DONE))) {
        return read;
      }
    }
    if (!looks.isEmpty() && !snapshots.situation(situation.rotation()).next().equals(act)) {
      return Optional.of(Outcome.FAILED);
    }
    return effects.perform(job(situation, act.effect()), act.effect());
  }

  private static Effects.Job job(Situation situation, Effect effect) {
    return new Effects.Job(
        situation.rotation(), null, "rotation", effect.sentence(situation.snapshot()));
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

  private Optional<Duration> rest(Situation situation, Decision move) {
    UUID id = situation.rotation();
    if (move instanceof Decision.Done) {
      return ends.finish(id).isEmpty()
          ? Optional.empty()
          : waiting(id, "the key that goes is still placed, on record", LOOK_AGAIN, true, null);
    }
    if (move instanceof Decision.Ask ask) {
      return waiting(id, ask.reason(), LOOK_AGAIN, true, ask.question());
    }
    Decision.Wait wait = (Decision.Wait) move;
    Instant now = situation.snapshot().now();
    Duration pause =
        wait.until()
            .map(until -> Duration.between(now, until))
            .filter(d -> d.compareTo(LOOK_AGAIN) < 0)
            .orElse(LOOK_AGAIN);
    return waiting(id, wait.reason(), pause, wait.person(), null);
  }

  /** Says what a rotation waits for until its next turn. */
  private Optional<Duration> waiting(
      UUID id, String reason, Duration pause, boolean person, Question question) {
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              RotationRow row = rotations.lock(id);
              boolean changed =
                  !Objects.equals(row.waitingFor, reason) || row.needsPerson != person;
              row.waitingFor = reason;
              row.needsPerson = person;
              row.question = question == null ? null : StoredQuestion.of(question);
              if (changed && reason != null) {
                journal.tell(person ? "rotation.needs-person" : "rotation.waiting", id, reason);
              }
            });
    return Optional.of(pause);
  }
}
