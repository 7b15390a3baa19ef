package tolvin.service.handover;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;

/** Reminds of hand-overs that nobody answered. */
@ApplicationScoped
class Reminders implements JobHandler {
  private static final Duration EVERY = Duration.ofMinutes(1);

  private final HandOvers handOvers;

  Reminders(HandOvers handOvers) {
    this.handOvers = handOvers;
  }

  @Override
  public JobKind kind() {
    return JobKind.REMINDERS;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    handOvers.remind();
    return Optional.of(EVERY);
  }
}
