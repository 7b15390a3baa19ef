package tolvin.api.integration;

import java.util.List;
import java.util.UUID;

/** What was found, for an integration or for the caller's own machine. */
public record FoundSeatsRequest(UUID integrationId, List<FoundSeatRequest> seats) {}
