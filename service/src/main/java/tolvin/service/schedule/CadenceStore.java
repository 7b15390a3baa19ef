package tolvin.service.schedule;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import tolvin.service.store.RowStore;

/** The rows of cadences. */
@ApplicationScoped
class CadenceStore extends RowStore<CadenceRow> {
  CadenceStore() {
    super(CadenceRow.class, "rule");
  }

  List<CadenceRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }
}
