package tolvin.api.rotation;

import java.time.Instant;
import java.util.List;
import tolvin.api.MayBeRepeated;

/** A rotation with all that is known of it. */
@MayBeRepeated
public record RotationDetailView(
    RotationView rotation,
    Instant now,
    List<TieProgressView> ties,
    List<GuardView> guards,
    List<AttemptView> attempts) {}
