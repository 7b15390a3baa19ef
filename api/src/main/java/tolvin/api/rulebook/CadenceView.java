package tolvin.api.rulebook;

import java.time.Duration;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.IdentityKind;

/** A cadence as it is shown. */
@MayBeRepeated
public record CadenceView(
    int number,
    String name,
    @Nullable IdentityKind identityKind,
    @Nullable String identity,
    Duration every,
    Duration lead,
    Duration watch) {}
