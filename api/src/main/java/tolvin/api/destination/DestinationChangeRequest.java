package tolvin.api.destination;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** What can be changed; what is absent stays, and an empty text takes a path out. */
public record DestinationChangeRequest(
    @Nullable String logPath,
    @Nullable String propagation,
    @Nullable String secret,
    @Nullable Instant secretEndsAt,
    @Nullable UUID signsInAtId,
    @Nullable Integer readsPerSecond,
    @Nullable String configPath,
    @Nullable String modePath,
    @Nullable String reloadCommand) {

  /** Never shows the secret. */
  @Override
  public String toString() {
    return "change of a destination";
  }
}
