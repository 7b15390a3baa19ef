package tolvin.api.integration;

import java.util.List;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.TakesEffect;

/** What can be said of a seat anew; what is absent stays. */
public record SeatChangeRequest(
    @Nullable String address,
    @Nullable List<String> morePaths,
    @Nullable TakesEffect takesEffect,
    @Nullable String effectCommand,
    @Nullable Boolean fallsBack) {}
