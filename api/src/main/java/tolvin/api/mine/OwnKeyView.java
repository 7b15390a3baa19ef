package tolvin.api.mine;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.jspecify.annotations.Nullable;
import tolvin.core.estate.Custody;
import tolvin.core.proof.ProofKind;

/**
 * One of the caller's keys, or of a service account that they answer for.
 *
 * @param proven possession, hardware, or both; empty if nothing was
 * @param verified whether the device verified the person
 * @param copied whether its counter went back, so that somebody may have a copy
 * @param downloadable whether its private key may still be downloaded
 * @param downloadedAt when it was
 */
public record OwnKeyView(
    UUID id,
    @Nullable String identity,
    String fingerprint,
    String type,
    String comment,
    Custody custody,
    Instant registeredAt,
    List<ProofKind> proven,
    boolean verified,
    boolean copied,
    boolean downloadable,
    @Nullable Instant downloadedAt,
    List<OwnPlacementView> placements,
    @Nullable Instant testedAt) {}
