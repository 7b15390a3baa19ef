package tolvin.api.trial;

import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.port.TrialPort;

/**
 * A trial by Tolvin.
 *
 * @param keyId a key whose private key is in the coffer
 * @param way ssh, sftp or git; absent for what the destination is used by
 * @param target the directory to list, or the repository to look at
 */
public record TrialRequest(UUID keyId, TrialPort.@Nullable Way way, @Nullable String target) {}
