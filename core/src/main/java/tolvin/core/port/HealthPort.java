package tolvin.core.port;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/** Looks whether a system can be worked with. */
public interface HealthPort {

  /**
   * What was found.
   *
   * @param took how long the answer took
   * @param secretEnds when the connection secret ends, if the system tells
   * @param clockAhead how far the system's clock is ahead of ours, if it tells its time
   */
  record Health(Duration took, Optional<Instant> secretEnds, Optional<Duration> clockAhead) {}

  /**
   * Looks.
   *
   * @throws PortException if the system cannot be reached, or does not let Tolvin in
   */
  Health look(Connection connection) throws PortException;
}
