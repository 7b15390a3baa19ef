package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Instant;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.schedule.DueDates;
import tolvin.service.schedule.Schedule;
import tolvin.service.store.ClockStore;

/** Starts the rotations that the calendar asks for, when their lead time begins. */
@ApplicationScoped
public class Starter {
  private static final Logger LOG = Logger.getLogger(Starter.class);

  private final KeyStore keys;
  private final Schedule schedule;
  private final DueDates dueDates;
  private final RotationStore rotations;
  private final Rotations starts;
  private final Runner runner;
  private final FirstLooks firstLooks;
  private final ClockStore clock;
  private final boolean enabled;

  /** How many are started in one go; the others wait for the next. */
  private static final int MOST = 100;

  private final ScheduledExecutorService timer =
      Executors.newScheduledThreadPool(3, task -> new Thread(task, "starter"));

  Starter(
      KeyStore keys,
      Schedule schedule,
      DueDates dueDates,
      RotationStore rotations,
      Rotations starts,
      Runner runner,
      FirstLooks firstLooks,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.keys = keys;
    this.schedule = schedule;
    this.dueDates = dueDates;
    this.rotations = rotations;
    this.starts = starts;
    this.runner = runner;
    this.firstLooks = firstLooks;
    this.clock = clock;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (enabled) {
      timer.scheduleWithFixedDelay(() -> quietly(this::startDue), 1, 1, TimeUnit.SECONDS);
      timer.scheduleWithFixedDelay(() -> quietly(firstLooks::look), 1, 1, TimeUnit.SECONDS);
      timer.scheduleWithFixedDelay(() -> quietly(this::lookAgain), 1, 1, TimeUnit.SECONDS);
    }
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
  }

  private void lookAgain() {
    if (firstLooks.confirmAbsences() | firstLooks.lookAgain()) {
      runner.wake();
    }
  }

  private static void quietly(Runnable work) {
    try {
      work.run();
    } catch (RuntimeException | Error e) {
      LOG.warnf("What is new or due could not be looked at now: %s", e.getMessage());
    }
  }

  void startDue() {
    while (dueDates.workOut()) {
      LOG.debug("More due dates are to be worked out");
    }
    for (KeyRow key :
        QuarkusTransaction.requiringNew().call(() -> keys.dueToStart(clock.now(), MOST))) {
      QuarkusTransaction.requiringNew().run(() -> startIfDue(key));
    }
  }

  private void startIfDue(KeyRow candidate) {
    Instant now = clock.now();
    dueDates
        .of(candidate)
        .filter(due -> !now.isBefore(due.startAt()))
        .ifPresent(
            due -> {
              KeyRow key = keys.lock(candidate.id);
              boolean taken =
                  key.endedAt != null
                      || rotations.runningOf(key.id).isPresent()
                      || rotations.wasGivenUpSince(key.id, key.madeAt);
              if (!taken) {
                schedule
                    .cadence(key.identityId)
                    .ifPresent(found -> starts.startByItself(key, found, due.reason()));
                runner.wake();
              }
            });
  }
}
