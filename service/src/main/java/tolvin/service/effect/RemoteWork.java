package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.micrometer.core.instrument.Gauge;
import io.micrometer.core.instrument.MeterRegistry;
import io.quarkus.runtime.StartupEvent;
import jakarta.enterprise.context.ApplicationScoped;
import jakarta.enterprise.event.Observes;
import jakarta.enterprise.inject.Default;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import org.eclipse.microprofile.health.HealthCheck;
import org.eclipse.microprofile.health.HealthCheckResponse;
import org.eclipse.microprofile.health.HealthCheckResponseBuilder;
import org.eclipse.microprofile.health.Liveness;
import tolvin.connectors.ssh.Hosts;
import tolvin.service.record.rotation.AttemptRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.store.ClockStore;

/**
 * What goes on outside, as health and metrics tell it: hosts that do not answer, workers that wait
 * for one, the oldest effect, changes that may still land. A host that hangs is no failure of the
 * service; only when every worker waits is it told as one.
 */
@Liveness
@Default
@ApplicationScoped
public class RemoteWork implements HealthCheck {
  private static final Duration UNSETTLED_FOR_LONG = Duration.ofMinutes(1);

  private final Hosts hosts;
  private final RotationStore store;
  private final ClockStore clock;
  private final int workers;

  RemoteWork(
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
    Gauge.builder("tolvin.workers.stuck", this, RemoteWork::stuck)
        .description("Workers that wait for a host for longer than is usual")
        .register(registry);
    Gauge.builder("tolvin.effects.oldest.seconds", this, w -> w.oldest().toMillis() / 1000.0)
        .description("How long the oldest effect has been running")
        .register(registry);
    Gauge.builder(
            "tolvin.changes.unsettled", this, w -> inNewTransaction(w.store::unsettled).size())
        .description("Changes that got no answer and may still land")
        .register(registry);
  }

  /**
   * What a person should know of.
   *
   * @param kind host or change
   * @param subject the rotation that waits for it; null if none does
   */
  public record Trouble(String kind, UUID subject, String title, String reason) {}

  /** Hosts that do not answer, and changes that may still land for long. */
  public List<Trouble> troubles(Instant now) {
    List<Trouble> troubles = new ArrayList<>();
    for (Hosts.Silent host : hosts.silent()) {
      String since =
          host.againAt()
              .map(at -> "It is set aside and tried again at " + at + ".")
              .orElse("Something there has been running for " + host.since().toSeconds() + " s.");
      troubles.add(
          new Trouble(
              "host",
              null,
              host.host() + " does not answer",
              since + " Look whether it hangs: a full or stuck disk, a stopped process."));
    }
    for (AttemptRow attempt : inNewTransaction(store::unsettled)) {
      if (attempt.startedAt.isBefore(now.minus(UNSETTLED_FOR_LONG))) {
        troubles.add(
            new Trouble(
                "change",
                attempt.rotationId,
                "A change got no answer and may still land",
                attempt.intent
                    + ". Nothing rests on it until that is impossible; its host has to be reached"
                    + " for that."));
      }
    }
    return troubles;
  }

  private int stuck() {
    return hosts.silent().stream().mapToInt(Hosts.Silent::work).sum();
  }

  private Duration oldest() {
    Optional<Instant> began = inNewTransaction(store::oldestRunning);
    return began
        .map(at -> Duration.between(at, inNewTransaction(clock::now)))
        .orElse(Duration.ZERO);
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
