package tolvin.api.today;

import java.time.Instant;
import java.util.List;
import tolvin.api.rotation.RotationView;

/**
 * Today.
 *
 * @param due the keys that are due within 30 days, the most urgent first, at most 200
 */
public record TodayView(
    Instant now,
    List<NeedView> needs,
    List<RotationView> running,
    List<DoneView> doneSinceYesterday,
    List<DueKeyView> due,
    long keys) {}
