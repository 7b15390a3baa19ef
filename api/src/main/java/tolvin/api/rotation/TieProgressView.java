package tolvin.api.rotation;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.rotation.Stage;

/**
 * One tie of a rotation, with what its overlap chart needs.
 *
 * @param oldAccepted when the account accepts the old key
 * @param oldOffered when the seat offers the old key
 * @param newAccepted when the account accepts the new key, absent before
 * @param newOffered when the seat offers the new key, absent before
 */
public record TieProgressView(
    String tie,
    Stage stage,
    @Nullable SpanView oldAccepted,
    @Nullable SpanView oldOffered,
    @Nullable SpanView newAccepted,
    @Nullable SpanView newOffered,
    List<ChartMarkView> marks) {}
