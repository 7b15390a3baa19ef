package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.UUID;
import tolvin.core.rotation.Next;
import tolvin.core.rotation.Plan;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.placement.PlacementRow;
import tolvin.service.placement.PlacementStore;
import tolvin.service.schedule.Schedule;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** What people, and the calendar, say of rotations; the runner does the rest. */
@ApplicationScoped
public class Rotations {
  private static final Duration DEFAULT_WATCH = Duration.ofDays(1);

  private final RotationStore store;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final Schedule schedule;
  private final Pictures pictures;
  private final Journal journal;
  private final ClockStore clock;

  Rotations(
      RotationStore store,
      KeyStore keys,
      PlacementStore placements,
      Schedule schedule,
      Pictures pictures,
      Journal journal,
      ClockStore clock) {
    this.store = store;
    this.keys = keys;
    this.placements = placements;
    this.schedule = schedule;
    this.pictures = pictures;
    this.journal = journal;
    this.clock = clock;
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
                  "Let that one come to its end, or put it back.");
            });
    List<PlacementRow> placed = placements.liveOfKeys(List.of(keyId));
    if (placed.isEmpty() || placed.stream().anyMatch(p -> p.placedAt == null)) {
      throw Problem.conflict(
          "not-placed",
          placed.isEmpty()
              ? "This key stands on no account, so there is nothing to rotate."
              : "This key is not yet placed everywhere that it is wanted.",
          "Place it first.");
    }
    Duration least =
        watch != null
            ? Checks.duration(watch, "watch time", Duration.ZERO)
            : schedule.cadence(key.identityId).map(Schedule.Found::watch).orElse(DEFAULT_WATCH);
    RotationRow row =
        add(key, "HOLD", least, Checks.text(reason, "reason"), Checks.optional(ticket, "ticket"));
    journal.write(
        "rotation.planned",
        row.id,
        "Rotation of " + key.fingerprint + " planned",
        Map.of("reason", row.reason, "ticket", row.ticket));
    return row;
  }

  /** Starts a rotation that the calendar asks for. */
  @Transactional(Transactional.TxType.MANDATORY)
  void startByItself(KeyRow key, Duration watch, String because) {
    RotationRow row = add(key, "FORWARD", watch, because, "");
    row.byItself = true;
    row.startedAt = row.plannedAt;
    journal.write(
        "rotation.started",
        row.id,
        "Rotation of " + key.fingerprint + " started by itself: " + because,
        Map.of());
  }

  private RotationRow add(KeyRow key, String aim, Duration watch, String reason, String ticket) {
    Instant now = clock.now();
    RotationRow row = new RotationRow();
    row.id = clock.id(now);
    row.oldKeyId = key.id;
    row.aim = aim;
    row.stage = "PLANNED";
    row.watchSeconds = watch.toSeconds();
    row.reason = reason;
    row.ticket = ticket;
    row.plannedAt = now;
    row.approved = new ArrayList<>();
    row.accepted = new ArrayList<>();
    row.nextLookAt = now;
    row.wokenAt = now;
    return store.add(row);
  }

  /**
   * Runs a planned rotation, or one that was stopped. What its plan says now is what is approved.
   */
  @Transactional
  RotationRow run(UUID id) {
    RotationRow row = alive(id);
    if (row.aim.equals("FORWARD")) {
      return row;
    }
    if (row.aim.equals("BACK")) {
      throw Problem.conflict(
          "going-back",
          "The rotation is being put back.",
          "Let it come to its end and plan a new one.");
    }
    if (row.newKeyId == null) {
      throw Problem.conflict(
          "not-made-yet", "The new key is not made yet.", "Ask again in a moment.");
    }
    Situation situation = pictures.situation(id);
    Plan plan = Plan.of(situation.picture(), situation.course());
    row.approved = plan.effectNames().stream().sorted().toList();
    Instant now = clock.now();
    row.startedAt = row.startedAt == null ? now : row.startedAt;
    aim(row, "FORWARD", now);
    journal.write("rotation.started", id, "Rotation run", Map.of("steps", plan.steps().size()));
    return row;
  }

  /** Puts everything back to the old key. */
  @Transactional
  RotationRow putBack(UUID id, String reason) {
    RotationRow row = alive(id);
    if (row.aim.equals("BACK")) {
      return row;
    }
    String old = keys.get(row.oldKeyId).fingerprint;
    boolean cleared =
        store.attemptsOf(id).stream()
            .filter(a -> !a.outcome.equals("FAILED"))
            .anyMatch(
                a ->
                    a.effect.startsWith("clear ") && a.effect.endsWith(old)
                        || a.effect.equals("destroy " + old));
    if (cleared) {
      throw Problem.conflict(
          "too-late",
          "The old private half was removed already, so nothing can go back to it.",
          "Let the rotation come to its end and plan a new one.");
    }
    aim(row, "BACK", clock.now());
    journal.write(
        "rotation.put-back-wanted",
        id,
        "Rotation is put back",
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }

  /** Stops a rotation where it is. */
  @Transactional
  RotationRow stop(UUID id, String reason) {
    RotationRow row = alive(id);
    if (row.aim.equals("BACK")) {
      throw Problem.conflict(
          "going-back", "The rotation is being put back.", "Let it come to its end.");
    }
    aim(row, "STOPPED", clock.now());
    journal.write(
        "rotation.stopped",
        id,
        "Rotation stopped",
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }

  /** Answers the question that a rotation asks with yes. */
  @Transactional
  RotationRow accept(UUID id, String question, String reason) {
    RotationRow row = alive(id);
    if (row.question == null || !row.question.equals(question)) {
      throw Problem.conflict(
          "no-such-question",
          "The rotation does not ask that now.",
          "Look at it again; it may have gone on.");
    }
    List<String> accepted = new ArrayList<>(row.accepted);
    accepted.add(question);
    row.accepted = accepted;
    if (row.aim.equals("FORWARD") && !question.startsWith(Next.BEYOND_THE_PLAN)) {
      // whoever answers the question approves what follows from the answer
      Situation situation = pictures.situation(id);
      Set<String> approved = new TreeSet<>(row.approved);
      approved.addAll(
          Plan.of(situation.picture(), situation.course().accepting(question)).effectNames());
      row.approved = List.copyOf(approved);
    }
    journal.write(
        "rotation.accepted",
        id,
        "Accepted: " + row.waitingFor,
        Map.of("question", question, "reason", Checks.text(reason, "reason")));
    row.question = null;
    wake(row, clock.now());
    return row;
  }

  /** Ends a rotation that has nothing left to do. */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  void finish(UUID id) {
    RotationRow row = store.lock(id);
    if (row.endedAt != null) {
      return;
    }
    boolean back = row.aim.equals("BACK");
    UUID leaving = back ? row.newKeyId : row.oldKeyId;
    Instant now = clock.now();
    if (leaving != null) {
      placements.liveOfKeys(List.of(leaving)).stream()
          .filter(p -> p.placedAt == null)
          .forEach(
              p -> {
                p.placedAt = p.wantedAt; // never stood there, so there is nothing to take out
                p.state = "withdrawn";
                p.reason = "never placed";
                p.withdrawnAt = now;
              });
      KeyRow key = keys.lock(leaving);
      if (placements.liveOfKeys(List.of(leaving)).isEmpty()) {
        key.endedAt = now;
        key.endedBecause = back ? "its rotation was put back" : "replaced by a rotation";
      }
    }
    row.endedAt = now;
    row.outcome = back ? "put back" : "done";
    row.stage = back ? row.stage : "DONE";
    row.waitingFor = null;
    row.needsPerson = false;
    row.question = null;
    row.leaseUntil = null;
    journal.write(
        back ? "rotation.put-back" : "rotation.done",
        id,
        back ? "Rotation put back: the old key is in use again" : "Rotation done",
        Map.of());
  }

  private RotationRow alive(UUID id) {
    RotationRow row = store.lock(id);
    if (row.endedAt != null) {
      throw Problem.conflict(
          "rotation-over",
          "The rotation is over: " + row.outcome + ".",
          "Plan a new one if the key has to change again.");
    }
    return row;
  }

  private void aim(RotationRow row, String aim, Instant now) {
    row.aim = aim;
    wake(row, now);
  }

  private static void wake(RotationRow row, Instant now) {
    row.waitingFor = null;
    row.needsPerson = false;
    row.nextLookAt = now;
    row.wokenAt = now;
  }
}
