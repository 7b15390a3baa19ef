package tolvin.service.record.proof;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import tolvin.service.store.RowStore;

/** Trust anchors. */
@ApplicationScoped
public class TrustAnchorStore extends RowStore<TrustAnchorRow> {
  TrustAnchorStore() {
    super(TrustAnchorRow.class, "maker");
  }

  public List<TrustAnchorRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }
}
