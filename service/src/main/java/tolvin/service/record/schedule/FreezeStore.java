package tolvin.service.record.schedule;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import tolvin.service.store.RowStore;

/** The rows of freezes. */
@ApplicationScoped
public class FreezeStore extends RowStore<FreezeRow> {
  FreezeStore() {
    super(FreezeRow.class, "freeze");
  }

  public List<FreezeRow> notOver(Instant now) {
    return list("r.validUntil is null and r.untilAt > :now", Map.of("now", now));
  }
}
