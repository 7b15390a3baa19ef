package tolvin.api.integration;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.TakesEffect;

/**
 * A seat as it is shown.
 *
 * @param fallsBack whether its client goes on to the next key after a refusal, as somebody said
 * @param fallsBackSeenAt when it was seen to
 */
@MayBeRepeated
public record SeatView(
    UUID id,
    @Nullable UUID integrationId,
    @Nullable String host,
    String kind,
    @Nullable String login,
    @Nullable String path,
    @Nullable String address,
    TakesEffect takesEffect,
    String effectCommand,
    List<String> morePaths,
    @Nullable Boolean fallsBack,
    @Nullable Instant fallsBackSeenAt,
    @Nullable Instant effectAt,
    List<String> offers,
    List<String> keeps,
    @Nullable Instant readAt) {}
