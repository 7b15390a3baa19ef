package tolvin.api.trial;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/** A holder's trial; the key may be absent if it is not registered. */
public record HolderTrialRequest(@Nullable UUID keyId, @Nullable UUID identityId) {}
