package tolvin.api.intake;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/** An OpenSSH certificate, whole; it is shown and never registered. */
public record CertificateView(
    String type,
    String fingerprint,
    String serial,
    String kind,
    String keyId,
    List<String> principals,
    @Nullable Instant validAfter,
    @Nullable Instant validBefore,
    List<String> criticalOptions,
    List<String> extensions,
    String authority,
    String signatureAlgorithm) {}
