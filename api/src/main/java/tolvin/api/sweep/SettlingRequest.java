package tolvin.api.sweep;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Custody;
import tolvin.core.sweep.Action;

/**
 * How findings are to be settled.
 *
 * @param action what settles them
 * @param ids which
 * @param identityId whose the key is, for adopting; absent if nobody knows
 * @param bySuggestion whether each key goes to whom its comment suggests, where it suggests one
 * @param custody how the private key is kept, for adopting; elsewhere if absent
 * @param until until when it is accepted
 * @param reason why, for the journal
 * @param ticket a ticket number, for the journal
 * @param overrule whether it is done although somebody may not be able to sign in any more, which
 *     the preview tells
 */
public record SettlingRequest(
    Action action,
    List<UUID> ids,
    @Nullable UUID identityId,
    @Nullable Boolean bySuggestion,
    @Nullable Custody custody,
    @Nullable Instant until,
    @Nullable String reason,
    @Nullable String ticket,
    @Nullable Boolean overrule) {}
