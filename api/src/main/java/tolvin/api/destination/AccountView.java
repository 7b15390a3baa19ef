package tolvin.api.destination;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.Management;
import tolvin.core.estate.SignInMode;

/** An account as it is shown. */
@MayBeRepeated
public record AccountView(
    UUID id,
    UUID destinationId,
    String destination,
    String login,
    String kind,
    SignInMode signInMode,
    int holds,
    @Nullable UUID identityId,
    Management managedBy,
    @Nullable String otherSource,
    @Nullable SignInMode modeSeen,
    @Nullable Instant modeSeenAt,
    List<RegisteredView> registered,
    @Nullable Instant readAt) {}
