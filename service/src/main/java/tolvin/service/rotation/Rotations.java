package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.UUID;
import tolvin.api.rotation.RotationChangeRequest;
import tolvin.core.estate.PlacementState;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.Direction;
import tolvin.core.rotation.EffectKind;
import tolvin.core.rotation.Outcome;
import tolvin.core.rotation.Plan;
import tolvin.core.rotation.Question;
import tolvin.core.rotation.Stage;
import tolvin.core.schedule.Cadence;
import tolvin.core.word.Words;
import tolvin.service.coffer.Coffer;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.rotation.StoredEffect;
import tolvin.service.record.rotation.StoredQuestion;
import tolvin.service.schedule.Schedule;
import tolvin.service.snapshot.Situation;
import tolvin.service.snapshot.Snapshots;
import tolvin.service.store.ClockStore;

/** What people, and the calendar, say of rotations; the runner does the rest. */
@ApplicationScoped
public class Rotations {
  private static final Duration DEFAULT_WATCH = Duration.ofDays(1);
  private static final int MOST_IN_AN_INTERVAL = 2;

  private final RotationStore store;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final SeatStore seats;
  private final Coffer coffer;
  private final Schedule schedule;
  private final Snapshots snapshots;
  private final Journal journal;
  private final ClockStore clock;
  private final Jobs jobs;

  Rotations(
      RotationStore store,
      KeyStore keys,
      PlacementStore placements,
      SeatStore seats,
      Coffer coffer,
      Schedule schedule,
      Snapshots snapshots,
      Journal journal,
      ClockStore clock,
      Jobs jobs) {
    this.store = store;
    this.keys = keys;
    this.placements = placements;
    this.seats = seats;
    this.coffer = coffer;
    this.schedule = schedule;
    this.snapshots = snapshots;
    this.journal = journal;
    this.clock = clock;
    this.jobs = jobs;
  }

  /** Plans a rotation; nothing outside is touched until it is run. */
  @Transactional
  RotationRow plan(UUID keyId, String watch, String reason, String ticket) {
    KeyRow key = keys.lock(keyId);
    if (key.endedAt != null) {
      throw Problem.conflict(
          "key-ended", "The key is out of use: " + key.endedBecause + ".", "Rotate a live key.");
    }
    store
        .runningOf(keyId)
        .ifPresent(
            running -> {
              throw Problem.conflict(
                  "rotation-running",
                  "This key is in a rotation already (" + running.id + ").",
                  "Let that one come to its end, or roll it back.");
            });
    List<PlacementRow> placed = placements.liveOfKeys(List.of(keyId));
    if (placed.isEmpty() || placed.stream().anyMatch(p -> p.placedAt == null)) {
      throw Problem.conflict(
          "not-placed",
          placed.isEmpty()
              ? "This key stands on no account, so there is nothing to rotate."
              : "This key is not placed yet on every account that it was ordered for.",
          "Place it first.");
    }
    Duration least =
        watch != null
            ? Checks.duration(watch, "watch time", Duration.ZERO)
            : schedule.cadence(key.identityId).map(Schedule.Found::watch).orElse(DEFAULT_WATCH);
    RotationRow row =
        add(
            key,
            Direction.PLANNED,
            least,
            Checks.text(reason, "reason"),
            Checks.optional(ticket, "ticket"));
    journal.write(
        "rotation.planned",
        row.id,
        "Rotation of " + key.fingerprint + " planned",
        Map.of("reason", row.reason, "ticket", row.ticket));
    return row;
  }

  /**
   * Starts a rotation that the calendar asks for: one in each interval. Whatever makes a key due
   * again sooner is held up by that; should it have been rotated twice in the interval already, the
   * rotation is only planned, and a person is asked.
   *
   * @param found the cadence that asks for it
   */
  @Transactional(Transactional.TxType.MANDATORY)
  void startByItself(KeyRow key, Schedule.Found found, String because) {
    Duration interval = found.cadence().every().minus(found.cadence().lead());
    RotationStore.Begun begun = store.begunSince(key.id, clock.now().minus(interval));
    if (begun.all() >= MOST_IN_AN_INTERVAL) {
      String doubt =
          "it was rotated "
              + begun.all()
              + " times within "
              + Cadence.words(interval)
              + " already; look why before you run it";
      RotationRow held = add(key, Direction.PLANNED, found.watch(), because + "; " + doubt, "");
      held.byItself = true;
      journal.write(
          "rotation.held",
          held.id,
          "Rotation of " + key.fingerprint + " planned and not started: " + doubt,
          Map.of());
      return;
    }
    if (begun.byItself() > 0) {
      return;
    }
    RotationRow row = add(key, Direction.RUNNING, found.watch(), because, "");
    row.byItself = true;
    row.startedAt = row.plannedAt;
    journal.write(
        "rotation.started",
        row.id,
        "Rotation of " + key.fingerprint + " started by itself: " + because,
        Map.of());
  }

  private RotationRow add(
      KeyRow key, Direction direction, Duration watch, String reason, String ticket) {
    Instant now = clock.now();
    RotationRow row = new RotationRow();
    row.id = clock.id(now);
    row.oldKeyId = key.id;
    row.direction = direction;
    row.stage = Stage.PLANNED;
    row.watchSeconds = watch.toSeconds();
    row.reason = reason;
    row.ticket = ticket;
    row.plannedAt = now;
    row.approved = new ArrayList<>();
    row.accepted = new ArrayList<>();
    jobs.add(JobKind.ROTATION, row.id, now);
    return store.add(row);
  }

  /** Says anew how a rotation that does not run yet is to be run; what is absent stays. */
  @Transactional
  RotationRow change(UUID id, RotationChangeRequest change) {
    RotationRow row = alive(id);
    long watch =
        change.watch() == null
            ? row.watchSeconds
            : Checks.duration(change.watch(), "watch time", Duration.ZERO).toSeconds();
    boolean runs = row.direction == Direction.RUNNING || row.direction == Direction.ROLLING_BACK;
    if (runs && watch != row.watchSeconds) {
      throw Problem.conflict(
          "rotation-running",
          "The rotation runs already, with a watch time of "
              + Cadence.words(Duration.ofSeconds(row.watchSeconds))
              + ".",
          "Let it go on, or roll it back and plan it anew.");
    }
    row.watchSeconds = watch;
    row.reason = change.reason() == null ? row.reason : Checks.text(change.reason(), "reason");
    row.ticket = change.ticket() == null ? row.ticket : Checks.optional(change.ticket(), "ticket");
    journal.write(
        "rotation.changed",
        id,
        "Rotation changed",
        Map.of("watch", watch + " s", "reason", row.reason, "ticket", row.ticket));
    return row;
  }

  /**
   * Runs a planned rotation, or one that was stopped. What its plan says now is what is approved.
   */
  @Transactional
  RotationRow run(UUID id) {
    RotationRow row = alive(id);
    if (row.direction == Direction.RUNNING) {
      return row;
    }
    if (row.direction == Direction.ROLLING_BACK) {
      throw Problem.conflict(
          "going-back",
          "The rotation is being rolled back.",
          "Let it come to its end and plan a new one.");
    }
    if (row.newKeyId == null) {
      throw Problem.conflict(
          "not-made-yet", "The new key is not made yet.", "Ask again in a moment.");
    }
    Situation situation = snapshots.situation(id);
    Plan plan = Plan.of(situation.snapshot(), situation.context());
    row.approved = plan.effects().stream().map(StoredEffect::of).toList();
    Instant now = clock.now();
    row.startedAt = row.startedAt == null ? now : row.startedAt;
    row.turnedBecause = null;
    direction(row, Direction.RUNNING);
    journal.write(
        "rotation.started",
        id,
        "Rotation run",
        Map.of(
            "steps",
            plan.steps().size(),
            "watch",
            row.watchSeconds + " s",
            "reason",
            row.reason,
            "ticket",
            row.ticket));
    return row;
  }

  /** Rolls everything back to the old key. */
  @Transactional
  RotationRow rollBack(UUID id, String reason) {
    RotationRow row = alive(id);
    if (row.direction == Direction.ROLLING_BACK) {
      return row;
    }
    String old = keys.get(row.oldKeyId).fingerprint;
    boolean cleared =
        store.attemptsOf(id).stream()
            .filter(a -> a.outcome != Attempt.Outcome.FAILED)
            .anyMatch(a -> a.kind == EffectKind.CLEAR && old.equals(a.key));
    if (cleared) {
      throw Problem.conflict(
          "too-late",
          "The old private key was removed already, so nothing can go back to it.",
          "Let the rotation come to its end and plan a new one.");
    }
    for (PlacementRow stays : placements.liveOfKeys(List.of(row.oldKeyId))) {
      if (stays.state == PlacementState.WITHDRAWING && id.equals(stays.rotationId)) {
        stays.state =
            stays.provenAt == null
                ? PlacementState.PLACED
                : PlacementState.PROVEN; // it was about to go
      }
    }
    row.turnedBecause = Checks.text(reason, "reason");
    direction(row, Direction.ROLLING_BACK);
    journal.write(
        "rotation.rolling-back",
        id,
        "Rotation is rolled back",
        Map.of("reason", row.turnedBecause));
    return row;
  }

  /** Stops a rotation where it is. */
  @Transactional
  RotationRow stop(UUID id, String reason) {
    RotationRow row = alive(id);
    if (row.direction == Direction.ROLLING_BACK) {
      throw Problem.conflict(
          "going-back", "The rotation is being rolled back.", "Let it come to its end.");
    }
    row.turnedBecause = Checks.text(reason, "reason");
    direction(row, Direction.STOPPED);
    journal.write("rotation.stopped", id, "Rotation stopped", Map.of("reason", row.turnedBecause));
    return row;
  }

  /** Answers the question that a rotation asks with yes. */
  @Transactional
  RotationRow accept(UUID id, Question question, String reason) {
    RotationRow row = alive(id);
    if (row.question == null || !row.question.question().equals(question)) {
      throw Problem.conflict(
          "no-such-question",
          "The rotation does not ask that now.",
          "Look at it again; it may have gone on.");
    }
    List<StoredQuestion> accepted = new ArrayList<>(row.accepted);
    accepted.add(StoredQuestion.of(question));
    row.accepted = accepted;
    if (row.direction == Direction.RUNNING && question.kind() != Question.Kind.BEYOND_THE_PLAN) {
      // whoever answers the question approves what follows from the answer
      Situation situation = snapshots.situation(id);
      Set<StoredEffect> approved = new LinkedHashSet<>(row.approved);
      Plan.of(situation.snapshot(), situation.context().accepting(question)).effects().stream()
          .map(StoredEffect::of)
          .forEach(approved::add);
      row.approved = List.copyOf(approved);
    }
    journal.write(
        "rotation.accepted",
        id,
        "Accepted: " + row.waitingFor,
        Map.of("question", Words.of(question.kind()), "reason", Checks.text(reason, "reason")));
    row.question = null;
    wake(row);
    return row;
  }

  /**
   * Ends a rotation that has nothing left to do. It never ends as long as the key that was to go is
   * placed anywhere on record.
   *
   * @return where it still is; empty if the rotation is over
   */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  List<UUID> finish(UUID id) {
    RotationRow row = store.lock(id);
    if (row.endedAt != null) {
      return List.of();
    }
    boolean back = row.direction == Direction.ROLLING_BACK;
    UUID leaving = back ? row.newKeyId : row.oldKeyId;
    Instant now = clock.now();
    if (leaving != null) {
      List<UUID> still = endPlacements(leaving, now);
      if (!still.isEmpty()) {
        return still;
      }
      KeyRow key = keys.lock(leaving);
      key.endedAt = now;
      key.endedBecause = back ? "its rotation was rolled back" : "replaced by a rotation";
      if (coffer.holds(Coffer.PRIVATE_KEY, key.id)) {
        jobs.add(JobKind.DESTRUCTION, key.id, now);
      }
    }
    row.endedAt = now;
    row.outcome = back ? Outcome.ROLLED_BACK : Outcome.DONE;
    row.stage = back ? row.stage : Stage.DONE;
    row.waitingFor = null;
    row.needsPerson = false;
    row.question = null;
    jobs.wake(
        JobKind.SEAT,
        seats.everOffering(
            List.of(row.oldKeyId, row.newKeyId == null ? row.oldKeyId : row.newKeyId)));
    journal.write(
        back ? "rotation.rolled-back" : "rotation.done",
        id,
        back ? "Rotation rolled back: the old key is in use again" : "Rotation done",
        Map.of());
    return List.of();
  }

  /** Placements that were never made are over; returns the accounts of those that were. */
  private List<UUID> endPlacements(UUID key, Instant now) {
    List<UUID> still = new ArrayList<>();
    for (PlacementRow p : placements.liveOfKeys(List.of(key))) {
      if (p.placedAt != null) {
        still.add(p.accountId);
        continue;
      }
      p.placedAt = p.wantedAt; // never stood there, so there is nothing to take out
      p.state = PlacementState.WITHDRAWN;
      p.reason = "never placed";
      p.withdrawnAt = now;
    }
    return still;
  }

  private RotationRow alive(UUID id) {
    RotationRow row = store.lock(id);
    if (row.endedAt != null) {
      throw Problem.conflict(
          "rotation-over",
          "The rotation is over: " + Words.said(row.outcome) + ".",
          "Plan a new one if the key has to change again.");
    }
    return row;
  }

  private void direction(RotationRow row, Direction direction) {
    row.direction = direction;
    wake(row);
    jobs.wake(JobKind.FEED, store.signInPlaces(row.oldKeyId)); // they are read often from now on
  }

  private void wake(RotationRow row) {
    row.waitingFor = null;
    row.needsPerson = false;
    jobs.wake(JobKind.ROTATION, row.id);
  }
}
