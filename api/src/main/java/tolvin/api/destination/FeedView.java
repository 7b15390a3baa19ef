package tolvin.api.destination;

import java.time.Instant;
import org.jspecify.annotations.Nullable;

/** What is known of the feed of uses. */
public record FeedView(
    @Nullable Instant readTo, @Nullable Instant unbrokenSince, @Nullable String failure) {}
