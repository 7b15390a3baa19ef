package tolvin.api.trial;

import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * A holder's trial that has begun: sign in now, sign the challenge, and report both.
 *
 * @param challenge what the holder signs to make it a proof; absent if no key was named, or nobody
 *     is known to hold it
 * @param knownHosts the server's pinned host keys as lines for known_hosts
 */
public record HolderTrialView(
    UUID id,
    String login,
    String host,
    int port,
    List<String> knownHosts,
    @Nullable String fingerprint,
    @Nullable String challenge,
    String namespace) {}
