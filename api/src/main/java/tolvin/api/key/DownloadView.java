package tolvin.api.key;

import java.time.Instant;
import tolvin.core.pair.PrivateForm;

/** Whether the private key left the coffer towards its owner. */
public record DownloadView(Instant at, String by, PrivateForm form) {}
