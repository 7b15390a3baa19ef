package tolvin.connectors.sheet;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import tolvin.core.port.Connection;
import tolvin.core.port.HealthPort;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.Operation;

/**
 * Health of systems that a sheet describes: the sheet's own cheap reading, which may capture {@code
 * secret-ends}, and {@code time} where no header tells the system's time.
 */
public final class SheetHealth implements HealthPort {
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  private final Steps steps;
  private final Clock clock;

  /** Talks to systems so; times are told by this clock. */
  public SheetHealth(Steps steps, Clock clock) {
    this.steps = steps.within(PATIENCE);
    this.clock = clock;
  }

  @Override
  public Health look(Connection connection) throws PortException {
    Operation health =
        connection
            .sheet()
            .health()
            .orElseThrow(
                () ->
                    new PortException(
                        Kind.NOT_ALLOWED,
                        "The sheet of " + connection.name() + " does not say how to look at it.",
                        "Add “health” to the sheet."));
    Instant began = clock.instant();
    Steps.Done done = steps.run(connection, health, Map.of(), Set.of());
    Instant ended = clock.instant();
    Duration took = Duration.between(began, ended);
    return new Health(
        took,
        moment(done, "secret-ends"),
        Steps.clockAhead(done)
            .or(
                () ->
                    moment(done, "time")
                        .map(time -> Duration.between(began.plus(took.dividedBy(2)), time))));
  }

  private static Optional<Instant> moment(Steps.Done done, String name) {
    return Entries.time(String.valueOf(done.values().getOrDefault(name, "")), Duration.ZERO);
  }
}
