package tolvin.core.sweep;

import java.util.Optional;
import tolvin.core.key.Fingerprint;

/**
 * One difference.
 *
 * @param kind its kind
 * @param subject what tells it from others of its kind on the same account, the same at every sweep
 * @param key the key that it is about; empty if it is about none
 * @param severity how bad it is
 * @param sentence what, where
 * @param evidence what was seen
 */
public record Finding(
    FindingKind kind,
    String subject,
    Optional<Fingerprint> key,
    Severity severity,
    String sentence,
    String evidence) {}
