package tolvin.service.effect;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.Lease;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.rotation.Attempt.Outcome;
import tolvin.core.rotation.Effect;
import tolvin.core.rotation.EffectKind;
import tolvin.service.hostkey.HostKeys;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.rotation.AttemptRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.store.ClockStore;

/**
 * Performs one effect: records the attempt with its intent and what was there before, does it
 * outside of any transaction, reads back, and records result and journal entry in one transaction.
 *
 * <pre>
 *   RUNNING ──done and read back──▶ DONE
 *      │ ├────refused─────────────▶ FAILED
 *      │ └────answer lost─────────▶ UNKNOWN ◀── the next worker finds RUNNING with no one at it
 * </pre>
 *
 * A change whose outcome is unknown keeps its reservation: {@link Settler} first makes it
 * impossible.
 */
@ApplicationScoped
public class Effects {
  private static final Logger LOG = Logger.getLogger(Effects.class);

  private static final long PAUSE_MILLIS = 100;

  private final RotationStore store;
  private final AccountStore accounts;
  private final SeatStore seats;
  private final HostKeys hostKeys;
  private final EffectHandlers outside;
  private final Journal journal;
  private final ClockStore clock;
  private final Drill drill;
  private final Jobs jobs;
  private final Duration lease;

  Effects(
      RotationStore store,
      AccountStore accounts,
      SeatStore seats,
      HostKeys hostKeys,
      EffectHandlers outside,
      Journal journal,
      ClockStore clock,
      Drill drill,
      Jobs jobs,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease) {
    this.store = store;
    this.accounts = accounts;
    this.seats = seats;
    this.hostKeys = hostKeys;
    this.outside = outside;
    this.journal = journal;
    this.clock = clock;
    this.drill = drill;
    this.jobs = jobs;
    this.lease = lease;
  }

  /**
   * Whose effect it is: a rotation's or a single placement's.
   *
   * @param sentence the effect in words
   */
  public record Job(UUID rotation, UUID placement, String worker, String sentence) {}

  /**
   * How long a worker may be gone before another takes over; an effect may take less by a quarter.
   */
  Duration lease() {
    return lease;
  }

  /** What an effect does in the world. */
  @FunctionalInterface
  interface Doing {
    EffectHandlers.Recording with(Lease lease) throws PortException;
  }

  /**
   * An edit of an account that belongs to no rotation and no single placement: on record and
   * reserved like any effect.
   *
   * @throws PortException if it could not be done, or somebody else is at the account just now
   */
  void edit(UUID account, String sentence, Doing doing) throws PortException {
    edit(new Target(EffectKind.EDIT, account, null, null, null, true), sentence, doing);
  }

  /**
   * Likewise for a seat.
   *
   * @throws PortException if it could not be done, or somebody else is at the seat just now
   */
  void editSeat(UUID seat, String sentence, Doing doing) throws PortException {
    edit(new Target(EffectKind.EDIT, null, seat, null, null, true), sentence, doing);
  }

  private void edit(Target target, String sentence, Doing doing) throws PortException {
    Job job = new Job(null, null, "by hand", sentence);
    Attempt attempt =
        begin(job, target, () -> {})
            .orElseThrow(
                () ->
                    new PortException(
                        Kind.CHANGED_MEANWHILE,
                        "Somebody else is at it just now, or a change there may still land.",
                        "Do it again in a moment."));
    try {
      if (!record(attempt, doing.with(until(limit(), attempt.id())))) {
        throw new PortException(
            Kind.LEASE_LOST,
            "It took too long, so it is looked at again what came of it.",
            "Look at it again in a moment.");
      }
    } catch (PortException e) {
      failed(job, target, attempt, e);
      throw e;
    }
  }

  /**
   * What an effect touches.
   *
   * @param changes whether it changes something there
   */
  private record Target(
      EffectKind kind, UUID account, UUID seat, UUID tie, String key, boolean changes) {
    static Target of(Effect effect) {
      return new Target(
          effect.id().kind(),
          effect.touchesAccount().map(a -> a.value()).orElse(null),
          effect.touchesSeat().map(s -> s.value()).orElse(null),
          effect instanceof Effect.ProveSeat proof ? proof.tie().value() : null,
          effect.id().key().map(Fingerprint::value).orElse(null),
          effect.changes());
    }
  }

  /** What stands for an attempt in the names of the files that it writes beside others. */
  static String nameOf(UUID attempt) {
    String id = attempt.toString();
    return id.substring(id.length() - 12);
  }

  private long limit() {
    return System.nanoTime() + lease.toNanos() / 4 * 3;
  }

  /** An attempt that is on record: its row, and when it was begun by the database's clock. */
  private record Attempt(UUID id, Instant begun) {}

  private Optional<Attempt> begin(Job job, Target target, Runnable prepare) {
    return QuarkusTransaction.requiringNew().call(() -> begin(job, target, prepare, clock.now()));
  }

  /** Records what came of it, unless another worker took over: then only that one knows. */
  private boolean record(Attempt attempt, EffectHandlers.Recording recording) {
    return QuarkusTransaction.requiringNew()
        .call(
            () -> {
              if (!store.isRunning(attempt.id())) {
                return false;
              }
              recording.record();
              end(attempt, Outcome.DONE, "", false);
              return true;
            });
  }

  /** Waits a moment for somebody else who is at it; false if this thread is told to end. */
  public static boolean pause() {
    try {
      Thread.sleep(PAUSE_MILLIS);
      return true;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return false;
    }
  }

  /** How it ended; empty if somebody else is at the same account or seat just now. */
  public Optional<Outcome> perform(Job job, Effect effect) {
    long limit = limit();
    Target target = Target.of(effect);
    Optional<Attempt> attempt = begin(job, target, () -> outside.prepare(job, effect));
    if (attempt.isEmpty()) {
      return Optional.empty();
    }
    drill.reached("before", target.kind());
    try {
      EffectHandlers.Recording recording =
          outside.perform(job, effect, until(limit, attempt.get().id()), attempt.get().begun());
      drill.reached("after", target.kind());
      if (!record(attempt.get(), recording)) {
        return Optional.of(Outcome.UNKNOWN);
      }
      drill.reached("recorded", target.kind());
      return Optional.of(Outcome.DONE);
    } catch (PortException e) {
      if (e.kind() == Kind.BUSY) {
        notBegun(attempt.get());
        return Optional.empty();
      }
      return Optional.of(failed(job, target, attempt.get(), e));
    }
  }

  /** Others are at that host: nothing was tried, so there is no attempt to remember. */
  private void notBegun(Attempt attempt) {
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              if (store.isRunning(attempt.id())) {
                store.release(attempt.id());
                store.forgetAttempt(attempt.id());
              }
            });
  }

  private Optional<Attempt> begin(Job job, Target target, Runnable prepare, Instant now) {
    UUID id = clock.id(now);
    UUID resource = target.account() == null ? target.seat() : target.account();
    if (resource != null && !store.reserve(resource, id, target.changes(), now, now.plus(lease))) {
      return Optional.empty();
    }
    AttemptRow row = new AttemptRow();
    row.id = id;
    row.rotationId = job.rotation();
    row.placementId = job.placement();
    row.kind = target.kind();
    row.accountId = target.account();
    row.seatId = target.seat();
    row.tieId = target.tie();
    row.key = target.key();
    row.intent = job.sentence();
    row.stateBefore = stateBefore(row);
    row.worker = job.worker();
    row.startedAt = now;
    row.leaseUntil = now.plus(lease);
    row.outcome = Outcome.RUNNING;
    row.reason = "";
    row.changes = target.changes() && resource != null;
    store.addAttempt(row);
    prepare.run();
    return Optional.of(new Attempt(id, now));
  }

  private List<String> stateBefore(AttemptRow row) {
    if (row.accountId != null) {
      return accounts.get(row.accountId).registered.stream().map(r -> r.line()).toList();
    }
    return row.seatId == null ? List.of() : List.copyOf(seats.get(row.seatId).offers);
  }

  /**
   * Ends an attempt.
   *
   * @param leavesSomething whether it may have left something, or may even land later: then whoever
   *     settles it looks after it
   */
  private void end(Attempt attempt, Outcome outcome, String reason, boolean leavesSomething) {
    AttemptRow row = store.attempt(attempt.id());
    Instant now = clock.now();
    row.outcome = outcome;
    row.reason = reason;
    row.endedAt = now;
    row.unsettled = row.changes && outcome == Outcome.UNKNOWN;
    row.settleAt = row.changes && leavesSomething ? now : null;
    if (row.settleAt != null) {
      jobs.add(JobKind.SETTLEMENT, row.id, row.settleAt);
    }
    if (!row.unsettled) {
      store.release(attempt.id());
    }
  }

  private Outcome failed(Job job, Target target, Attempt attempt, PortException e) {
    Outcome outcome =
        e.kind() == Kind.UNKNOWN_OUTCOME || e.kind() == Kind.LEASE_LOST
            ? Outcome.UNKNOWN
            : Outcome.FAILED;
    LOG.infof("%s: %s", job.sentence(), e.getMessage());
    QuarkusTransaction.requiringNew()
        .run(
            () -> {
              if (store.isRunning(attempt.id())) {
                end(attempt, outcome, e.whole(), e.kind() != Kind.BUSY);
              }
              journal.tell("effect.failed", job.rotation(), job.sentence() + ": " + e.getMessage());
              if (e.kind() == Kind.HOST_KEY_CHANGED) {
                hostKeys.stop(destinationOf(target), e);
              }
            });
    return outcome;
  }

  private UUID destinationOf(Target target) {
    return target.account() == null
        ? seats.get(target.seat()).destinationId
        : accounts.get(target.account()).destinationId;
  }

  private static Lease until(long limit, UUID attempt) {
    return new Lease() {
      @Override
      public void check() throws PortException {
        if (System.nanoTime() - limit > 0) {
          throw new PortException(
              Kind.LEASE_LOST,
              "It took too long, so another worker may have taken over.",
              "It is looked at again before anything else is done.");
        }
      }

      @Override
      public String attempt() {
        return nameOf(attempt);
      }
    };
  }
}
