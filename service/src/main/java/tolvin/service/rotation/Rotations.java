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
import tolvin.core.schedule.Cadence;
import tolvin.service.coffer.Coffer;
import tolvin.service.integration.SeatStore;
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
  private static final int MOST_IN_AN_INTERVAL = 2;

  private final RotationStore store;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final SeatStore seats;
  private final Coffer coffer;
  private final Schedule schedule;
  private final Pictures pictures;
  private final Journal journal;
  private final ClockStore clock;

  Rotations(
      RotationStore store,
      KeyStore keys,
      PlacementStore placements,
      SeatStore seats,
      Coffer coffer,
      Schedule schedule,
      Pictures pictures,
      Journal journal,
      ClockStore clock) {
    this.store = store;
    this.keys = keys;
    this.placements = placements;
    this.seats = seats;
    this.coffer = coffer;
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
      RotationRow held = add(key, "HOLD", found.watch(), because + "; " + doubt, "");
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
    RotationRow row = add(key, "FORWARD", found.watch(), because, "");
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

  /** Says anew how a rotation that does not run yet is to be run; what is absent stays. */
  @Transactional
  RotationRow change(UUID id, RotationResource.RotationChange change) {
    RotationRow row = alive(id);
    long watch =
        change.watch() == null
            ? row.watchSeconds
            : Checks.duration(change.watch(), "watch time", Duration.ZERO).toSeconds();
    boolean runs = row.aim.equals("FORWARD") || row.aim.equals("BACK");
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
            .anyMatch(a -> a.effect.startsWith("clear ") && a.effect.endsWith(old));
    if (cleared) {
      throw Problem.conflict(
          "too-late",
          "The old private half was removed already, so nothing can go back to it.",
          "Let the rotation come to its end and plan a new one.");
    }
    for (PlacementRow stays : placements.liveOfKeys(List.of(row.oldKeyId))) {
      if (stays.state.equals("withdrawing") && id.equals(stays.rotationId)) {
        stays.state = stays.provenAt == null ? "placed" : "proven"; // it was about to go
      }
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
    boolean back = row.aim.equals("BACK");
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
      key.destroyAt = coffer.holds(Coffer.PRIVATE_HALF, key.id) ? now : null;
    }
    row.endedAt = now;
    row.outcome = back ? "put back" : "done";
    row.stage = back ? row.stage : "DONE";
    row.waitingFor = null;
    row.needsPerson = false;
    row.question = null;
    row.leaseUntil = null;
    seats.lookSoon(List.of(row.oldKeyId, row.newKeyId == null ? row.oldKeyId : row.newKeyId), now);
    journal.write(
        back ? "rotation.put-back" : "rotation.done",
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
      p.state = "withdrawn";
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
