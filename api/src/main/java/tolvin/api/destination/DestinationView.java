package tolvin.api.destination;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.Family;

/**
 * A destination as it is shown.
 *
 * @param tolvinKey the line with which Tolvin signs in there: put it into the management login's or
 *     the accounts' authorized_keys
 * @param keysServer what its server makes of files of keys; absent where it has none
 * @param stoppedBecause why nothing is done there, absent if all is well
 */
@MayBeRepeated
public record DestinationView(
    UUID id,
    String name,
    Family family,
    @Nullable String host,
    @Nullable Integer port,
    List<String> hostKeys,
    @Nullable String managementLogin,
    @Nullable String keysPath,
    @Nullable String logPath,
    @Nullable KeysServerView keysServer,
    Duration propagation,
    @Nullable String tolvinKey,
    @Nullable UUID sheetId,
    @Nullable String system,
    @Nullable String address,
    Map<String, String> settings,
    @Nullable String user,
    @Nullable Instant secretEndsAt,
    @Nullable Instant testedAt,
    @Nullable HealthView health,
    @Nullable String stoppedBecause,
    @Nullable FeedView feed,
    @Nullable String route,
    @Nullable String signsInAt,
    int readsPerSecond,
    @Nullable String configPath,
    @Nullable String modePath,
    long accounts,
    int version) {}
