package tolvin.api.destination;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * A change of host keys to come.
 *
 * @param hostKeys the new ones, as public key lines
 * @param oldUntil until when the old ones are accepted
 */
public record AnnouncementRequest(
    List<String> hostKeys, @Nullable Instant oldUntil, String reason) {}
