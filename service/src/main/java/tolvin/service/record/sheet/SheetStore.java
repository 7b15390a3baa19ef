package tolvin.service.record.sheet;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.service.store.RowStore;

/** System sheets. */
@ApplicationScoped
public class SheetStore extends RowStore<SheetRow> {
  SheetStore() {
    super(SheetRow.class, "sheet");
  }

  /** The sheets in force. */
  public List<SheetRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }

  /** The sheet in force of a system. */
  public Optional<SheetRow> ofSystem(String system) {
    return one("r.validUntil is null and r.system = :s", Map.of("s", system));
  }
}
