package tolvin.api.integration;

import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.TakesEffect;

/**
 * A seat to add: a private file on a host, or an entry of a credential store.
 *
 * @param hostId the SSH server or the system that it is on, attached as a destination
 * @param kind the kind of seat, where the sheet knows several
 * @param login the login through which Tolvin supplies a file
 * @param job the job that signs in with a credential; it is asked to, for a proof
 * @param path the private file, or the credential's name
 * @param address the address that the integration signs in from; for a credential it may be absent
 * @param morePaths further files that its client offers behind the first one, in their order
 * @param takesEffect when a new private key takes effect; at the next sign-in if absent
 * @param effectCommand what is run on the host, by that login, to make it so
 * @param fallsBack whether its client goes on to the next key after a refusal; absent if nobody
 *     knows
 */
public record SeatRequest(
    UUID hostId,
    @Nullable String kind,
    @Nullable String login,
    @Nullable String job,
    String path,
    @Nullable String address,
    @Nullable List<String> morePaths,
    @Nullable TakesEffect takesEffect,
    @Nullable String effectCommand,
    @Nullable Boolean fallsBack) {}
