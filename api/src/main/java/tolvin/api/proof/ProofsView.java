package tolvin.api.proof;

import java.util.List;

/** All that was proven of a key. */
public record ProofsView(List<ProofView> proofs, CounterView counter) {}
