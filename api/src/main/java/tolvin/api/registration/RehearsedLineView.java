package tolvin.api.registration;

import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.rotation.SystemChangeView;
import tolvin.core.registration.LineState;

/**
 * What would become of a line; nothing was done.
 *
 * @param number the line's number in the request, counted from one
 * @param key the key's fingerprint
 * @param account LOGIN@DESTINATION
 * @param state waiting if it would be placed, asked if somebody else would be asked to, or what
 *     speaks for leaving it
 * @param reason what stands in its way, with the remedy; absent if nothing does
 * @param crossings what is unusual about it and worth a second look
 * @param change what would be changed at the destination; absent if nothing would, or if it could
 *     not be read. The mark, a line's last word, is made anew when the key is placed.
 */
public record RehearsedLineView(
    int number,
    UUID keyId,
    String key,
    UUID accountId,
    String account,
    String title,
    LineState state,
    @Nullable String reason,
    List<String> crossings,
    @Nullable SystemChangeView change) {}
