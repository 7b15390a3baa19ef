package tolvin.service.effect;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;

/** Notices the attempts whose workers did not come back within their lease. */
@ApplicationScoped
class AbandonedAttempts implements JobHandler {
  private static final Duration SOONEST = Duration.ofSeconds(1);
  private static final int TIMES_IN_A_LEASE = 12;

  private final Settler settler;
  private final Duration every;

  AbandonedAttempts(Settler settler, @ConfigProperty(name = "tolvin.runner.lease") Duration lease) {
    this.settler = settler;
    Duration part = lease.dividedBy(TIMES_IN_A_LEASE);
    this.every = part.compareTo(SOONEST) < 0 ? SOONEST : part;
  }

  @Override
  public JobKind kind() {
    return JobKind.ABANDONED;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    settler.abandonOverdue();
    return Optional.of(every);
  }
}
