package tolvin.api.proof;

import java.util.List;
import java.util.UUID;

/** A key that was proven. */
public record ProvenView(UUID keyId, String fingerprint, String type, List<ProofView> proofs) {}
