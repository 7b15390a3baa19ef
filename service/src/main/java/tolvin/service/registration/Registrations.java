package tolvin.service.registration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.placement.PlacementRequest;
import tolvin.api.registration.RegistrationRequest;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.registration.LineState;
import tolvin.core.registration.RegistrationState;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.placement.Limits;
import tolvin.service.record.registration.RegistrationLineRow;
import tolvin.service.record.registration.RegistrationRow;
import tolvin.service.record.registration.RegistrationStore;
import tolvin.service.store.ClockStore;

/** What people decide about registrations of many keys. */
@ApplicationScoped
public class Registrations {
  private static final int AT_ONCE = 4;
  private static final int MOST_AT_ONCE = 50;

  private final RegistrationStore store;
  private final Chosen chosen;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Registrations(
      RegistrationStore store, Chosen chosen, ClockStore clock, Journal journal, Jobs jobs) {
    this.store = store;
    this.chosen = chosen;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  /** Begins one; its lines are placed by the job. */
  @Transactional
  public RegistrationRow begin(RegistrationRequest request) {
    int atOnce = request.atOnce() == null ? AT_ONCE : request.atOnce();
    if (atOnce < 1 || atOnce > MOST_AT_ONCE) {
      throw Problem.invalid(
          "That many cannot be placed at once on one destination: " + atOnce + ".",
          "Give a number from 1 to " + MOST_AT_ONCE + ".");
    }
    Instant now = clock.now();
    List<Chosen.Line> lines = chosen.lines(request);
    RegistrationRow row = new RegistrationRow();
    row.id = clock.id(now);
    row.tested = Boolean.FALSE.equals(request.testFirst());
    row.state = row.tested ? RegistrationState.RUNNING : RegistrationState.TESTING;
    row.atOnce = atOnce;
    row.reason = Checks.text(request.reason(), "reason");
    row.ticket = Checks.optional(request.ticket(), "ticket");
    row.begunBy = journal.callerName();
    row.begunAt = now;
    store.add(row);
    store.flush(); // its lines refer to it
    for (int i = 0; i < lines.size(); i++) {
      store.addLine(line(row, i + 1, lines.get(i), now));
    }
    jobs.add(JobKind.REGISTRATION, row.id, now);
    journal.write(
        "registration.begun",
        row.id,
        "Registration of " + lines.size() + (lines.size() == 1 ? " key begun" : " keys begun"),
        Map.of("reason", row.reason, "ticket", row.ticket, "lines", lines.size()));
    return row;
  }

  private RegistrationLineRow line(
      RegistrationRow of, int number, Chosen.Line wanted, Instant now) {
    PlacementRequest request = wanted.request();
    Limits limits = Limits.asked(request.sources(), request.endsAt(), request.options(), now);
    RegistrationLineRow row = new RegistrationLineRow();
    row.id = clock.id(now);
    row.registrationId = of.id;
    row.number = number;
    row.keyId = wanted.key().id;
    row.accountId = wanted.account().id;
    row.destinationId = wanted.at().id;
    row.byHand = wanted.at().isPartner();
    row.title = Checks.text(request.title(), "title");
    row.purpose = request.purpose() == null ? Purpose.SIGN_IN : request.purpose();
    row.access = request.access() == null ? Access.WRITE : request.access();
    row.sources = limits.sources();
    row.endsAt = limits.endsAt();
    row.options = limits.more();
    row.becomes(LineState.WAITING, null, now);
    return row;
  }

  /** Goes on with the others although the one that was to show that it works did not. */
  @Transactional
  public RegistrationRow goOn(UUID id, String reason) {
    RegistrationRow row = store.lock(id);
    if (row.state != RegistrationState.STOPPED) {
      throw Problem.conflict(
          "not-stopped",
          "The registration is not stopped, so there is nothing to go on with.",
          "Look at it first: tolvin registration show " + id);
    }
    row.tested = true;
    row.state = RegistrationState.RUNNING;
    jobs.add(JobKind.REGISTRATION, id, clock.now());
    journal.write(
        "registration.goes-on",
        id,
        "Registration goes on although its test failed",
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }

  /** Begins nothing more of it; what was begun comes to its end. */
  @Transactional
  public RegistrationRow cancel(UUID id, String reason) {
    RegistrationRow row = store.lock(id);
    if (row.state.isOver()) {
      throw Problem.conflict(
          "over", "The registration is over.", "Withdraw what is not to stay, or rotate it.");
    }
    Instant now = clock.now();
    int cancelled = store.cancelWaiting(id, now);
    row.state = RegistrationState.CANCELLED;
    row.endedAt = now;
    jobs.wake(JobKind.REGISTRATION, id);
    journal.write(
        "registration.cancelled",
        id,
        "Registration cancelled before the turn of " + cancelled + " lines",
        Map.of("reason", Checks.text(reason, "reason")));
    return row;
  }
}
