package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inside;

import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
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
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.SurveyPort;
import tolvin.core.sweep.Seen;
import tolvin.service.destination.Access;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.destination.Destinations;
import tolvin.service.journal.Journal;
import tolvin.service.store.ClockStore;

/**
 * Reads the accounts of running sweeps: several at once, no more than a few on one destination, and
 * there no more in a second than it says. What was read is on record; a sweep that is interrupted
 * goes on where it was, on whichever instance.
 */
@ApplicationScoped
public class Sweeper {
  private static final Logger LOG = Logger.getLogger(Sweeper.class);
  private static final Duration LEASE = Duration.ofMinutes(2);
  private static final int BATCH = 20;
  private static final int MOST_AT_ONE = 4;
  private static final int RETRIES = 2;

  /** How an account may sign in is asked less often than its keys are read. */
  private static final Duration ASK_AGAIN_AFTER = Duration.ofDays(1);

  private final Sweeps sweeps;
  private final SweepStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Destinations stopper;
  private final Access access;
  private final SurveyPort surveys;
  private final ClockStore clock;
  private final int workers;
  private final Duration every;
  private final boolean enabled;
  private final Map<UUID, Integer> busy = new ConcurrentHashMap<>();
  private final Map<UUID, Long> nextTurn = new ConcurrentHashMap<>();
  private volatile boolean stopping;
  private ScheduledExecutorService pool;

  Sweeper(
      Sweeps sweeps,
      SweepStore store,
      AccountStore accounts,
      DestinationStore destinations,
      Destinations stopper,
      Access access,
      SurveyPort surveys,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.sweep.workers") int workers,
      @ConfigProperty(name = "tolvin.sweep.every") Duration every,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.sweeps = sweeps;
    this.store = store;
    this.accounts = accounts;
    this.destinations = destinations;
    this.stopper = stopper;
    this.access = access;
    this.surveys = surveys;
    this.clock = clock;
    this.workers = workers;
    this.every = every;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (!enabled) {
      return;
    }
    pool = Executors.newScheduledThreadPool(workers + 1, task -> new Thread(task, "sweep"));
    for (int i = 0; i < workers; i++) {
      pool.scheduleWithFixedDelay(this::quietly, 500, 300, TimeUnit.MILLISECONDS);
    }
    pool.scheduleWithFixedDelay(this::startIfDue, 60, 60, TimeUnit.SECONDS);
  }

  void stop(@Observes ShutdownEvent event) {
    stopping = true;
    if (pool != null) {
      pool.shutdownNow();
    }
  }

  private void startIfDue() {
    try {
      boolean due =
          inside(
              () -> {
                Instant limit = clock.now().minus(every);
                return !destinations.inForce().isEmpty()
                    && store.lastOfAll().filter(last -> last.isAfter(limit)).isEmpty();
              });
      if (due) {
        sweeps.start(null, Journal.ITSELF);
      }
    } catch (RuntimeException e) {
      LOG.warnf("A sweep could not be started now: %s", e.getMessage());
    }
  }

  private void quietly() {
    try {
      while (!stopping && readSome()) {
        LOG.trace("another batch");
      }
    } catch (RuntimeException e) {
      LOG.warn("A batch of a sweep could not be kept; it is read again", e);
    }
  }

  private boolean readSome() {
    Optional<SweepStore.Batch> claimed = claim(1).or(() -> claim(MOST_AT_ONE));
    if (claimed.isEmpty()) {
      sweeps.endDone();
      return false;
    }
    SweepStore.Batch batch = claimed.get();
    busy.merge(batch.destination(), 1, Integer::sum);
    try {
      read(batch);
    } finally {
      busy.merge(batch.destination(), -1, Integer::sum);
    }
    return true;
  }

  /** Destinations that nobody is at come first; then those that bear several at once. */
  private Optional<SweepStore.Batch> claim(int most) {
    return inside(
        () -> {
          Set<UUID> full = new HashSet<>();
          busy.forEach(
              (destination, at) -> {
                if (at > 0 && (at >= most || hasOneConnection(destinations.get(destination)))) {
                  full.add(destination);
                }
              });
          Instant now = clock.now();
          return store.claim(full, BATCH, now, now.plus(LEASE));
        });
  }

  /** Where all accounts are read over one connection, a second reader would only wait. */
  private static boolean hasOneConnection(DestinationRow at) {
    return at.managementLogin != null || !at.hasFiles() && !at.hasSheet();
  }

  private void read(SweepStore.Batch batch) {
    DestinationRow at = inside(() -> destinations.get(batch.destination()));
    if (at.stoppedBecause != null) {
      sweeps.cannotRead(batch, at.stoppedBecause);
      return;
    }
    List<AccountRow> rows = inside(() -> accounts.byIds(batch.accounts()));
    Map<UUID, Place> places = inside(() -> access.accounts(at, rows));
    Server server = server(at);
    List<Sweeps.Result> results = new ArrayList<>();
    for (AccountRow row : rows) {
      waitForTurn(at);
      results.add(read(at, row, places.get(row.id), server));
    }
    sweeps.keep(batch.sweep(), at.id, results);
  }

  private Sweeps.Result read(DestinationRow at, AccountRow account, Place where, Server server) {
    UUID id = account.id;
    PortException last = null;
    for (int i = 0; i < RETRIES && !stopping; i++) {
      try {
        boolean ask =
            account.modeSeenAt == null
                || account.modeSeenAt.isBefore(Instant.now().minus(ASK_AGAIN_AFTER));
        Seen seen = surveys.survey(where, account.login, besides(at, ask ? server : null));
        return new Sweeps.Result(
            id, Optional.of(ask ? seen : seen.with(account.modeSeen)), ask, null);
      } catch (PortException e) {
        last = e;
        if (e.kind() == Kind.HOST_KEY_CHANGED) {
          stopper.stop(at.id, e.whole());
          break;
        }
        if (e.kind() != Kind.UNREACHABLE) {
          break;
        }
      }
    }
    return new Sweeps.Result(id, Optional.empty(), false, last == null ? "stopped" : last.whole());
  }

  private static SurveyPort.Besides besides(DestinationRow at, Server asked) {
    return new SurveyPort.Besides(at.configPath == null ? "" : at.configPath, asked);
  }

  /** Whom to ask how accounts sign in: SSH servers alone; null if there is nobody. */
  private Server server(DestinationRow at) {
    if (!at.hasFiles() && at.signsInAtId == null) {
      return null;
    }
    try {
      DestinationRow server = access.signInAt(at);
      return inside(() -> access.server(server));
    } catch (PortException nobodyKnowsWhere) {
      return null;
    }
  }

  /** No more readings in a second than the destination says. */
  private void waitForTurn(DestinationRow at) {
    long step = TimeUnit.SECONDS.toNanos(1) / at.readsPerSecond;
    long now = System.nanoTime();
    long turn =
        nextTurn.merge(
            at.id, now, (before, asked) -> before + step - asked > 0 ? before + step : asked);
    long pause = turn - now;
    if (pause > 0) {
      LockSupport.parkNanos(pause);
    }
  }
}
