package tolvin.service.handover;

import io.quarkus.runtime.ShutdownEvent;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.TimeUnit;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.jboss.logging.Logger;

/** Reminds of hand-overs that nobody answered. */
@ApplicationScoped
class Reminders {
  private static final Logger LOG = Logger.getLogger(Reminders.class);

  private final HandOvers handOvers;
  private final boolean enabled;
  private final ScheduledExecutorService timer =
      Executors.newSingleThreadScheduledExecutor(task -> new Thread(task, "reminders"));

  Reminders(HandOvers handOvers, @ConfigProperty(name = "tolvin.runner.enabled") boolean enabled) {
    this.handOvers = handOvers;
    this.enabled = enabled;
  }

  void start(@Observes StartupEvent event) {
    if (enabled) {
      timer.scheduleWithFixedDelay(this::quietly, 5, 60, TimeUnit.SECONDS);
    }
  }

  void stop(@Observes ShutdownEvent event) {
    timer.shutdownNow();
  }

  private void quietly() {
    try {
      handOvers.remind();
    } catch (RuntimeException | Error e) {
      LOG.warnf("Reminders could not be written now: %s", e.getMessage());
    }
  }
}
