package tolvin.service.job;

import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.UUID;

/** Does the work of one kind. A job of one subject is done by one worker of all instances. */
public interface JobHandler {
  /** Which kind. */
  JobKind kind();

  /**
   * Does what is due. Must bear being begun anew, since a worker may be lost at any point.
   *
   * @param subject what it is about
   * @param turn whether to go on
   * @return after which time it is due again; empty if nothing is left to be done
   */
  Optional<Duration> run(UUID subject, Turn turn);

  /** The jobs that every installation has, whatever is on record: their subjects. */
  default List<UUID> always() {
    return kind().isOne() ? List.of(JobKind.ALL) : List.of();
  }

  /** The turn of one worker. */
  interface Turn {
    /** Whether the service is about to end: what can be left to the next turn is left to it. */
    boolean isEnding();
  }
}
