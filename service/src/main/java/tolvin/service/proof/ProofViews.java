package tolvin.service.proof;

import java.util.List;
import tolvin.api.proof.ProofView;
import tolvin.service.record.proof.ProofRow;

/** Proofs as they are shown. */
final class ProofViews {
  private ProofViews() {}

  static List<ProofView> of(List<ProofRow> rows) {
    return rows.stream()
        .map(
            p ->
                new ProofView(
                    p.id,
                    p.kind,
                    p.at,
                    p.algorithm,
                    p.passphrase,
                    p.touched,
                    p.verified,
                    p.origin,
                    p.model,
                    p.maker,
                    p.note))
        .toList();
  }
}
