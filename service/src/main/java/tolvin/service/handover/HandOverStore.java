package tolvin.service.handover;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;
import tolvin.service.web.Page;

/** Hand-overs. */
@ApplicationScoped
public class HandOverStore extends RowStore<HandOverRow> {
  HandOverStore() {
    super(HandOverRow.class, "hand-over");
  }

  Page<HandOverRow> page(boolean ended, UUID after, int limit) {
    return page(ended ? "true = true" : "r.state in ('open', 'replied')", Map.of(), after, limit);
  }

  /** Those that wait for somebody. */
  public List<HandOverRow> live() {
    return list("r.state in ('open', 'replied')", Map.of());
  }

  Optional<HandOverRow> live(String kind, UUID about, UUID key) {
    return one(
        "r.state in ('open', 'replied') and r.kind = :kind and r.keyId = :key and (r.accountId ="
            + " :about or r.seatId = :about)",
        Map.of("kind", kind, "key", key, "about", about));
  }

  Optional<HandOverRow> byLink(String hash) {
    return one("r.linkHash = :hash", Map.of("hash", hash));
  }

  List<HandOverRow> toRemind(Instant now) {
    return list("r.state = 'open' and r.nextReminderAt <= :now", Map.of("now", now));
  }
}
