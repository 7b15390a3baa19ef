package tolvin.api.intake;

import java.time.Instant;
import java.util.List;
import org.jspecify.annotations.Nullable;

/**
 * An OpenSSH certificate, whole; it is shown and never registered.
 *
 * @param fingerprint of the key that it was made for, SHA-256
 * @param md5 likewise, MD5
 * @param bits the size of that key
 * @param signatureFault why the authority's signature does not hold; absent if it does
 */
public record CertificateView(
    String type,
    String fingerprint,
    String md5,
    int bits,
    String serial,
    String kind,
    String keyId,
    List<String> principals,
    @Nullable Instant validAfter,
    @Nullable Instant validBefore,
    List<String> criticalOptions,
    List<String> extensions,
    String authority,
    String signatureAlgorithm,
    @Nullable String signatureFault) {}
