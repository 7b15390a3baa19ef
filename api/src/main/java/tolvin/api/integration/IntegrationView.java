package tolvin.api.integration;

import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.api.MayBeRepeated;
import tolvin.core.estate.Importance;

/** An integration as it is shown. */
@MayBeRepeated
public record IntegrationView(
    UUID id,
    String name,
    String owner,
    Importance importance,
    String environment,
    @Nullable List<SeatView> seats) {}
