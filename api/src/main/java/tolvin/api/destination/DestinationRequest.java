package tolvin.api.destination;

import io.soabase.recordbuilder.core.RecordBuilder;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Family;

/**
 * A destination to attach.
 *
 * @param family the kind of system; absent where a sheet says it
 * @param hostKeys its host keys as public key lines, compared with its administrator; without them
 *     the destination is stopped until one that it shows was compared
 * @param managementLogin the login that may write every account's keys; absent if each account's
 *     own login is used
 * @param keysPath the file of an account's keys; {@code {login}} stands for the account's login
 * @param logPath the sign-in log, absent if it cannot be read
 * @param propagation how long a change takes to be everywhere, in ISO 8601
 * @param sheetId the sheet that describes it; absent for SSH servers
 * @param address the base of all requests, or the database's URL
 * @param settings what the sheet asks for
 * @param user as whom Tolvin connects
 * @param secret with what; it is kept in the coffer and never shown
 * @param secretEndsAt when the secret ends, if that is known
 * @param routeId the jump host that it is reached through; absent if it is reached directly
 * @param routeLogin Tolvin's login on the jump host
 * @param signsInAtId the SSH server that takes its accounts' keys from there
 * @param readsPerSecond how many accounts a sweep reads there in a second, at most; 20 if absent
 * @param configPath the SSH server's configuration, if Tolvin may read it
 * @param modePath where an account's sign-in mode is written, with {@code {login}} in it
 * @param reloadCommand what makes the server read its configuration again
 */
@RecordBuilder
public record DestinationRequest(
    String name,
    @Nullable Family family,
    @Nullable String host,
    @Nullable Integer port,
    @Nullable List<String> hostKeys,
    @Nullable String managementLogin,
    @Nullable String keysPath,
    @Nullable String logPath,
    @Nullable String propagation,
    @Nullable UUID sheetId,
    @Nullable String address,
    @Nullable Map<String, String> settings,
    @Nullable String user,
    @Nullable String secret,
    @Nullable Instant secretEndsAt,
    @Nullable UUID routeId,
    @Nullable String routeLogin,
    @Nullable UUID signsInAtId,
    @Nullable Integer readsPerSecond,
    @Nullable String configPath,
    @Nullable String modePath,
    @Nullable String reloadCommand) {

  /** One of which nothing is said yet but its name. */
  public static DestinationRequestBuilder named(String name) {
    return DestinationRequestBuilder.builder().name(name);
  }

  /** Never shows the secret. */
  @Override
  public String toString() {
    return "destination " + name;
  }
}
