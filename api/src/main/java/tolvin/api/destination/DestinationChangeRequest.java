package tolvin.api.destination;

import java.time.Instant;
import java.util.Map;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * What can be changed; what is absent stays, and an empty text takes a path out.
 *
 * @param settings those of an SSH server that change; an empty text brings back what is usual
 */
public record DestinationChangeRequest(
    @Nullable String logPath,
    @Nullable String propagation,
    @Nullable String secret,
    @Nullable Instant secretEndsAt,
    @Nullable UUID signsInAtId,
    @Nullable Integer readsPerSecond,
    @Nullable String configPath,
    @Nullable String modePath,
    @Nullable String reloadCommand,
    @Nullable Map<String, String> settings) {

  /** Never shows the secret. */
  @Override
  public String toString() {
    return "change of a destination";
  }
}
