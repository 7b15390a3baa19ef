package tolvin.api.key;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Custody;

/**
 * A key to register.
 *
 * @param text one key in any form
 * @param identityId whom it belongs to; absent for nobody yet
 * @param custody machine, device, module or elsewhere
 * @param madeAt when it was made, now if absent
 */
public record KeyRequest(
    String text, @Nullable UUID identityId, @Nullable Custody custody, @Nullable Instant madeAt) {}
