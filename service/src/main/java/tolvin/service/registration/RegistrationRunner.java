package tolvin.service.registration;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.placement.PlacementRequest;
import tolvin.core.estate.PlacementState;
import tolvin.core.registration.Course;
import tolvin.core.registration.LineState;
import tolvin.core.registration.RegistrationState;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.word.Words;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.journal.Journal;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.registration.RegistrationLineRow;
import tolvin.service.record.registration.RegistrationRow;
import tolvin.service.record.registration.RegistrationStore;
import tolvin.service.record.rotation.AttemptRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.store.ClockStore;

/**
 * Carries registrations on: sees what became of the lines that were begun, and begins others. Each
 * line is a placement like any other, which is tried again by itself; a line is begun in one
 * transaction with its placement, so that none is begun twice, whenever the worker is lost.
 */
@ApplicationScoped
class RegistrationRunner implements JobHandler {
  private static final Duration WHILE_IT_MOVES = Duration.ofMillis(150);
  private static final Duration WHILE_IT_WAITS = Duration.ofSeconds(1);

  private final RegistrationStore store;
  private final Placements placements;
  private final PlacementStore placed;
  private final RotationStore attempts;
  private final ClockStore clock;
  private final Journal journal;

  RegistrationRunner(
      RegistrationStore store,
      Placements placements,
      PlacementStore placed,
      RotationStore attempts,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.placements = placements;
    this.placed = placed;
    this.attempts = attempts;
    this.clock = clock;
    this.journal = journal;
  }

  @Override
  public JobKind kind() {
    return JobKind.REGISTRATION;
  }

  @Override
  public Optional<Duration> run(UUID id, Turn turn) {
    boolean moved = inNewTransaction(() -> see(id));
    Course.Turn begins = inNewTransaction(() -> course(id)).turn();
    Optional<UUID> line = begins.next();
    while (line.isPresent() && !turn.isEnding()) {
      begins.became(begin(id, line.get()));
      moved = true;
      line = begins.next();
    }
    boolean over = inNewTransaction(() -> settle(id));
    return over ? Optional.empty() : Optional.of(moved ? WHILE_IT_MOVES : WHILE_IT_WAITS);
  }

  private Course course(UUID id) {
    RegistrationRow row = store.get(id);
    return new Course(row.state.isOver() ? List.of() : store.course(id), row.atOnce, row.tested);
  }

  /** Sees what became of the lines that are on their way. */
  private boolean see(UUID id) {
    Instant now = clock.now();
    boolean moved = false;
    for (RegistrationLineRow line : store.lines(id, LineState.ON_ITS_WAY)) {
      PlacementRow placement = placed.get(line.placementId);
      Optional<AttemptRow> trial = attempts.lastTrial(placement.id);
      Optional<AttemptRow> failed = trial.filter(t -> t.outcome == Outcome.FAILED);
      if (placement.state == PlacementState.WITHDRAWN
          || placement.state == PlacementState.WITHDRAWING) {
        line.becomes(LineState.FAILED, because(placement, "it was taken off again"), now);
      } else if (failed.isPresent() && placement.state == PlacementState.PLACED) {
        String why = "placed, but its sign-in failed: " + failed.get().reason;
        line.becomes(LineState.FAILED, why, now);
      } else if (placement.state == PlacementState.PROVEN
          || placement.state == PlacementState.PLACED
              && (trial.isPresent() || placements.triedFrom(placement).isEmpty())) {
        line.becomes(LineState.DONE, null, now);
      } else {
        line.reason = placement.reason; // it is tried again by itself
        continue;
      }
      moved = true;
    }
    return moved;
  }

  private static String because(PlacementRow placement, String otherwise) {
    return placement.takenBackBecause != null
        ? placement.takenBackBecause
        : placement.reason == null ? otherwise : placement.reason;
  }

  /** Begins a line, or keeps why it is not begun: what becomes of it. */
  private LineState begin(UUID id, UUID line) {
    try {
      return inNewTransaction(() -> place(id, line));
    } catch (Problem refused) {
      return inNewTransaction(() -> leave(id, line, refused));
    }
  }

  private LineState place(UUID id, UUID lineId) {
    Optional<RegistrationLineRow> due = due(id, lineId);
    due.ifPresent(
        line -> {
          Map<String, String> because =
              Map.of("registration", id.toString(), "ticket", store.get(id).ticket);
          line.placementId = placements.want(request(line), because).id;
          line.becomes(line.byHand ? LineState.ASKED : LineState.ON_ITS_WAY, null, clock.now());
        });
    return store.line(lineId).state;
  }

  private LineState leave(UUID id, UUID lineId, Problem refused) {
    Optional<RegistrationLineRow> due = due(id, lineId);
    due.ifPresent(
        line -> {
          boolean there = refused.type().equals(Placements.EXISTS);
          line.placementId = placed.live(line.keyId, line.accountId).map(p -> p.id).orElse(null);
          line.becomes(
              there ? LineState.THERE_ALREADY : LineState.REFUSED,
              there ? null : whole(refused),
              clock.now());
        });
    return store.line(lineId).state;
  }

  /** A line whose turn it is, unless somebody cancelled it meanwhile. */
  private Optional<RegistrationLineRow> due(UUID id, UUID line) {
    RegistrationRow row = store.lock(id);
    return Optional.of(store.line(line))
        .filter(l -> !row.state.isOver() && l.state == LineState.WAITING);
  }

  /** A problem with its remedy. */
  static String whole(Problem problem) {
    String remedy = problem.body().remedy();
    return problem.getMessage() + (remedy == null ? "" : " " + remedy);
  }

  /** What a line asks for. */
  private static PlacementRequest request(RegistrationLineRow line) {
    return new PlacementRequest(
        line.keyId,
        line.accountId,
        line.title,
        line.purpose,
        line.access,
        line.sources,
        line.endsAt,
        line.options);
  }

  /** Keeps how far the whole is; true if the job has nothing left to do. */
  private boolean settle(UUID id) {
    RegistrationRow row = store.lock(id);
    if (row.state == RegistrationState.CANCELLED) {
      return store.lines(id, LineState.ON_ITS_WAY).isEmpty(); // what was begun comes to its end
    }
    RegistrationState now = new Course(store.course(id), row.atOnce, row.tested).state();
    if (now != row.state) {
      row.state = now;
      if (now == RegistrationState.DONE) {
        row.endedAt = clock.now();
        journal.write("registration.ended", id, "Registration ended", Map.of("lines", said(id)));
      } else {
        journal.tell("registration." + now.name().toLowerCase(Locale.ROOT), id, "");
      }
    }
    return now.isOver() || now == RegistrationState.STOPPED;
  }

  private String said(UUID id) {
    StringBuilder said = new StringBuilder();
    store
        .counts(List.of(id))
        .getOrDefault(id, Map.of())
        .forEach(
            (state, count) ->
                said.append(said.isEmpty() ? "" : ", ")
                    .append(count)
                    .append(' ')
                    .append(Words.said(state)));
    return said.toString();
  }
}
