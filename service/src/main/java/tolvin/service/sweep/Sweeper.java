package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import java.util.stream.LongStream;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.SurveyPort;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Seen;
import tolvin.service.destination.Access;
import tolvin.service.hostkey.HostKeys;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.sweep.SweepStore;
import tolvin.service.store.ClockStore;

/**
 * Reads the accounts of running sweeps: several at once, no more than a few on one destination, and
 * there no more in a second than it says. What was read is on record; a sweep that is interrupted
 * goes on where it was, on whichever instance.
 */
@ApplicationScoped
public class Sweeper implements JobHandler {
  private static final Logger LOG = Logger.getLogger(Sweeper.class);
  private static final Duration LEASE = Duration.ofMinutes(2);
  private static final int BATCH = 50;

  /** How soon what a lost worker left of a running sweep is looked for. */
  private static final Duration WHILE_RUNNING = Duration.ofSeconds(5);

  private static final Duration ANYWAY = Duration.ofMinutes(5);

  private static final int MOST_AT_ONE = 4;

  /** After how long a server that could not be reached is tried once more. */
  private static final Duration ONCE_MORE_AFTER = Duration.ofSeconds(2);

  /** How an account may sign in is asked less often than its keys are read. */
  private static final Duration ASK_AGAIN_AFTER = Duration.ofDays(1);

  private final Sweeps sweeps;
  private final SweepStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final HostKeys hostKeys;
  private final Access access;
  private final SurveyPort surveys;
  private final ClockStore clock;
  private final Jobs jobs;
  private final int workers;
  private final Map<UUID, Integer> busy = new ConcurrentHashMap<>();

  Sweeper(
      Sweeps sweeps,
      SweepStore store,
      AccountStore accounts,
      DestinationStore destinations,
      HostKeys hostKeys,
      Access access,
      SurveyPort surveys,
      ClockStore clock,
      Jobs jobs,
      @ConfigProperty(name = "tolvin.sweep.workers") int workers) {
    this.sweeps = sweeps;
    this.store = store;
    this.accounts = accounts;
    this.destinations = destinations;
    this.hostKeys = hostKeys;
    this.access = access;
    this.surveys = surveys;
    this.clock = clock;
    this.jobs = jobs;
    this.workers = workers;
  }

  @Override
  public JobKind kind() {
    return JobKind.SWEEP_READING;
  }

  /** A job for each worker; they share the accounts of all running sweeps. */
  @Override
  public List<UUID> always() {
    return LongStream.rangeClosed(1, workers).mapToObj(worker -> new UUID(0, worker)).toList();
  }

  /** There is a new sweep: it begins at once. */
  void wake() {
    jobs.wake(JobKind.SWEEP_READING, always());
  }

  @Override
  public Optional<Duration> run(UUID worker, Turn turn) {
    while (!turn.isEnding() && readSome(turn)) {
      LOG.trace("another batch");
    }
    boolean runs = inNewTransaction(() -> !store.allRunning().isEmpty());
    return Optional.of(runs ? WHILE_RUNNING : ANYWAY);
  }

  private boolean readSome(Turn turn) {
    Optional<SweepStore.Batch> claimed = claim(1).or(() -> claim(MOST_AT_ONE));
    if (claimed.isEmpty()) {
      sweeps.endDone();
      return false;
    }
    SweepStore.Batch batch = claimed.get();
    busy.merge(batch.destination(), 1, Integer::sum);
    try {
      read(batch, turn);
    } finally {
      busy.merge(batch.destination(), -1, Integer::sum);
    }
    return true;
  }

  /** Destinations that nobody is at come first; then those that bear several at once. */
  private Optional<SweepStore.Batch> claim(int most) {
    return inNewTransaction(
        () -> {
          Set<UUID> full = new HashSet<>();
          busy.forEach(
              (destination, at) -> {
                if (at > 0 && (at >= most || hasOneConnection(destinations.get(destination)))) {
                  full.add(destination);
                }
              });
          return store.claim(full, BATCH, clock.now(), LEASE);
        });
  }

  /** Where all accounts are read over one connection, a second reader would only wait. */
  private static boolean hasOneConnection(DestinationRow at) {
    return at.managementLogin != null || !at.hasFiles() && !at.hasSheet();
  }

  private void read(SweepStore.Batch batch, Turn turn) {
    DestinationRow at = inNewTransaction(() -> destinations.get(batch.destination()));
    if (at.stoppedBecause != null) {
      sweeps.giveUpOn(batch, at.stoppedBecause);
      return;
    }
    List<AccountRow> rows = inNewTransaction(() -> accounts.byIds(batch.accounts()));
    Map<UUID, Place> places = inNewTransaction(() -> access.accounts(at, rows));
    Server server = server(at);
    List<Sweeps.Result> results = new ArrayList<>();
    Turns turns = new Turns(at, batch.beginsIn());
    Optional<List<Seen.Door>> doors = Optional.empty();
    for (AccountRow row : rows) {
      turns.await();
      if (turn.isEnding()) {
        break; // the rest of the batch is read by whoever comes next
      }
      Place where = places.get(row.id);
      try {
        results.add(read(row, where, server, turn));
        doors = doors.isPresent() ? doors : doors(at, where);
      } catch (PortException e) {
        results.add(new Sweeps.Result(row.id, Optional.empty(), false, e.whole()));
        if (e.kind() == Kind.HOST_KEY_CHANGED) {
          hostKeys.stop(at.id, e);
        }
        if (e.kind() == Kind.HOST_KEY_CHANGED || e.kind() == Kind.UNREACHABLE) {
          sweeps.keep(batch.sweep(), at.id, results, doors);
          sweeps.giveUpOn(batch, e.whole());
          return;
        }
      }
    }
    sweeps.keep(batch.sweep(), at.id, results, doors);
  }

  /** A server that cannot be reached gets a second chance a moment later. */
  private Sweeps.Result read(AccountRow account, Place where, Server server, Turn turn)
      throws PortException {
    try {
      return readOnce(account, where, server);
    } catch (PortException e) {
      if (e.kind() != Kind.UNREACHABLE || turn.isEnding()) {
        throw e;
      }
      LockSupport.parkNanos(ONCE_MORE_AFTER.toNanos());
      return readOnce(account, where, server);
    }
  }

  private Sweeps.Result readOnce(AccountRow account, Place where, Server server)
      throws PortException {
    boolean ask =
        account.modeSeenAt == null
            || account.modeSeenAt.isBefore(Instant.now().minus(ASK_AGAIN_AFTER));
    Seen seen = surveys.survey(where, account.login, ask ? server : null);
    return new Sweeps.Result(
        account.id, Optional.of(ask ? seen : seen.with(account.modeSeen)), ask, null);
  }

  /** What the server's configuration opens, once for each batch; empty if nobody asked for it. */
  private Optional<List<Seen.Door>> doors(DestinationRow at, Place where) {
    if (at.configPath == null || !(where instanceof Place.OverSsh file)) {
      return Optional.empty();
    }
    try {
      return Optional.of(surveys.doors(file, at.configPath));
    } catch (PortException e) {
      return Optional.of(List.of(new Seen.Door(FindingKind.DOORS_UNKNOWN, e.whole())));
    }
  }

  /** Whom to ask how accounts sign in: SSH servers alone; null if there is nobody. */
  private Server server(DestinationRow at) {
    if (!at.hasFiles() && at.signsInAtId == null) {
      return null;
    }
    try {
      DestinationRow server = access.signInAt(at);
      return inNewTransaction(() -> access.server(server));
    } catch (PortException nobodyKnowsWhere) {
      return null;
    }
  }

  /** The moments at which the accounts of a batch may be read; its batch has them to itself. */
  private static final class Turns {
    private final long step;
    private long next;

    Turns(DestinationRow at, Duration beginsIn) {
      step = TimeUnit.SECONDS.toNanos(1) / at.readsPerSecond;
      next = System.nanoTime() + beginsIn.toNanos();
    }

    void await() {
      long pause = next - System.nanoTime();
      if (pause > 0) {
        LockSupport.parkNanos(pause);
      }
      next += step;
    }
  }
}
