package tolvin.service.proof;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import tolvin.service.store.RowStore;

/** Makers. */
@ApplicationScoped
class MakerStore extends RowStore<MakerRow> {
  MakerStore() {
    super(MakerRow.class, "maker");
  }

  List<MakerRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }
}
