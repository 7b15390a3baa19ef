package tolvin.api.destination;

import java.util.List;

/** Host keys to pin in place of the ones that were pinned. */
public record HostKeyChangeRequest(List<String> hostKeys, String reason) {}
