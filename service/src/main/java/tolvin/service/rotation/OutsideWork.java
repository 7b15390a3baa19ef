package tolvin.service.rotation;

import static tolvin.service.store.Transactions.inside;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.enterprise.inject.Default;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.eclipse.microprofile.health.HealthCheck;
import org.eclipse.microprofile.health.HealthCheckResponse;
import org.eclipse.microprofile.health.HealthCheckResponseBuilder;
import org.eclipse.microprofile.health.Liveness;
import tolvin.connectors.ssh.Hosts;
import tolvin.service.store.ClockStore;

/**
 * What goes on outside, as health and metrics tell it: hosts that do not answer, workers that wait
 * for one, the oldest effect, changes that may still land. A host that hangs is no failure of the
 * service; only when every worker waits is it told as one.
 */
@Liveness
@Default
@ApplicationScoped
public class OutsideWork implements HealthCheck {
  private final Hosts hosts;
  private final RotationStore store;
  private final ClockStore clock;
  private final int workers;

  OutsideWork(
      Hosts hosts,
      RotationStore store,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.workers") int workers) {
    this.hosts = hosts;
    this.store = store;
    this.clock = clock;
    this.workers = workers;
  }

  void measure(@Observes StartupEvent event, MeterRegistry registry) {
    Gauge.builder("tolvin.hosts.aside", this, w -> w.hosts.silent().size())
        .description("Hosts that are set aside, or on which something takes long")
        .register(registry);
    Gauge.builder("tolvin.workers.stuck", this, OutsideWork::stuck)
        .description("Workers that wait for a host for longer than is usual")
        .register(registry);
    Gauge.builder("tolvin.effects.oldest.seconds", this, w -> w.oldest().toMillis() / 1000.0)
        .description("How long the oldest effect has been running")
        .register(registry);
    Gauge.builder("tolvin.changes.unsettled", this, w -> w.unsettled().size())
        .description("Changes that got no answer and may still land")
        .register(registry);
  }

  /** The hosts that do not answer, or take long to. */
  public List<Hosts.Silent> silent() {
    return hosts.silent();
  }

  /** The changes that may still land, the oldest first. */
  public List<AttemptRow> unsettled() {
    return inside(store::unsettled);
  }

  private int stuck() {
    return hosts.silent().stream().mapToInt(Hosts.Silent::work).sum();
  }

  private Duration oldest() {
    Optional<Instant> began = inside(store::oldestRunning);
    return began.map(at -> Duration.between(at, inside(clock::now))).orElse(Duration.ZERO);
  }

  @Override
  public HealthCheckResponse call() {
    HealthCheckResponseBuilder response =
        HealthCheckResponse.named("outside work")
            .status(stuck() < workers)
            .withData("workers", workers)
            .withData("stuck", stuck());
    hosts
        .silent()
        .forEach(
            silent ->
                response.withData(
                    silent.host(),
                    silent.againAt().isPresent()
                        ? "does not answer; tried again at " + silent.againAt().get()
                        : "slow: " + silent.since().toSeconds() + " s so far"));
    return response.build();
  }
}
