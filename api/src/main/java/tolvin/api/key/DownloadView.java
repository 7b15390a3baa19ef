package tolvin.api.key;

import java.time.Instant;

/** Whether the private key left the coffer towards its owner. */
public record DownloadView(Instant at, String by, String form) {}
