package tolvin.api.key;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.api.MayBeRepeated;

/**
 * A list.
 *
 * @param known how many registered keys stand on it, given when it is loaded
 * @param notes what of it was left out, sentences; given when it is loaded
 */
@MayBeRepeated
public record CompromisedListView(
    UUID id, String name, long entries, Instant loadedAt, Integer known, List<String> notes) {}
