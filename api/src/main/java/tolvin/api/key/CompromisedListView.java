package tolvin.api.key;

import java.time.Instant;
import java.util.UUID;
import tolvin.api.MayBeRepeated;

/** A list; known is how many registered keys stand on it, given when it is loaded. */
@MayBeRepeated
public record CompromisedListView(
    UUID id, String name, long entries, Instant loadedAt, Integer known) {}
