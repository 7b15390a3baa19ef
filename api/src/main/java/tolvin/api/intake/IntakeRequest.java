package tolvin.api.intake;

import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Custody;

/**
 * Lines to take in.
 *
 * @param lines each one key in any form that stands on one line; at most 10,000
 * @param identityId whom they all belong to; absent for nobody yet
 * @param byComment take an identity whose name is the key's comment, or its part before an at sign
 * @param custody machine, device, module or elsewhere
 */
public record IntakeRequest(
    List<String> lines, @Nullable UUID identityId, boolean byComment, @Nullable Custody custody) {}
