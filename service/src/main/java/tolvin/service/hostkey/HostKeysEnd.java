package tolvin.service.hostkey;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.job.JobHandler;
import tolvin.service.job.JobKind;

/** Ends the host keys that were accepted until a date. */
@ApplicationScoped
class HostKeysEnd implements JobHandler {
  private static final Duration ANYWAY = Duration.ofMinutes(5);

  private final HostKeys hostKeys;

  HostKeysEnd(HostKeys hostKeys) {
    this.hostKeys = hostKeys;
  }

  @Override
  public JobKind kind() {
    return JobKind.HOST_KEYS_END;
  }

  @Override
  public Optional<Duration> run(UUID all, Turn turn) {
    return Optional.of(
        hostKeys.endOutdated().filter(next -> next.compareTo(ANYWAY) < 0).orElse(ANYWAY));
  }
}
