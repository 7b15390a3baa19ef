package tolvin.api.destination;

import java.util.List;

/** Fingerprints that somebody compared. */
public record ConfirmationRequest(List<String> fingerprints, String reason) {}
