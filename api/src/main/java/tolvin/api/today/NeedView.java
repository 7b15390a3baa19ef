package tolvin.api.today;

import java.util.UUID;
import org.jspecify.annotations.Nullable;

/**
 * Something that needs a person.
 *
 * @param kind destination, host, change, rotation, registration, overdue, hand-over or finding
 * @param subject the id of what it is about; absent where it is about several
 */
public record NeedView(String kind, @Nullable UUID subject, String title, String reason) {}
