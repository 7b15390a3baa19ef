package tolvin.service.rotation;

import io.quarkus.narayana.jta.QuarkusTransaction;
import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;
import tolvin.service.key.KeyRow;
import tolvin.service.key.KeyStore;
import tolvin.service.schedule.Schedule;
import tolvin.service.store.ClockStore;

/** Starts the rotations that the calendar asks for, when their lead time begins. */
@ApplicationScoped
public class Starter {
  private static final Logger LOG = Logger.getLogger(Starter.class);

  private final KeyStore keys;
  private final Schedule schedule;
  private final RotationStore rotations;
  private final Rotations starts;
  private final Runner runner;
  private final FirstLooks firstLooks;
  private final ClockStore clock;
  private final boolean enabled;

  /** The more keys there are, the less often they are gone through. */
  private static final int SHARE_OF_TIME = 50;

  private volatile long notBefore = System.nanoTime();
  private final ScheduledExecutorService timer =
      Executors.newScheduledThreadPool(3, task -> new Thread(task, "starter"));

  Starter(
      KeyStore keys,
      Schedule schedule,
      RotationStore rotations,
      Rotations starts,
      Runner runner,
      FirstLooks firstLooks,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.keys = keys;
    this.schedule = schedule;
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
    } catch (RuntimeException e) {
      LOG.warnf("What is new or due could not be looked at now: %s", e.getMessage());
    }
  }

  void startDue() {
    long began = System.nanoTime();
    if (began - notBefore < 0) {
      return;
    }
    for (KeyRow key : QuarkusTransaction.requiringNew().call(this::due)) {
      QuarkusTransaction.requiringNew().run(() -> startIfDue(key));
    }
    notBefore = System.nanoTime() + (System.nanoTime() - began) * SHARE_OF_TIME;
  }

  private List<KeyRow> due() {
    Instant now = clock.now();
    return keys.inService().stream()
        .filter(key -> schedule.due(key).filter(due -> !now.isBefore(due.startAt())).isPresent())
        .toList();
  }

  private void startIfDue(KeyRow candidate) {
    Instant now = clock.now();
    schedule
        .due(candidate)
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
