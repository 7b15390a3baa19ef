package tolvin.api.journal;

import java.time.Instant;
import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * An entry as it is shown.
 *
 * @param number its place in the chain, absent until it is sealed
 * @param link its link in hex, absent until it is sealed
 */
public record JournalEntryView(
    UUID id,
    Instant at,
    String who,
    String action,
    @Nullable UUID subject,
    String text,
    String data,
    @Nullable Long number,
    @Nullable String link) {}
