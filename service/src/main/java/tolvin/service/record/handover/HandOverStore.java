package tolvin.service.record.handover;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.core.handover.HandOverKind;
import tolvin.service.store.RowStore;

/** Hand-overs. */
@ApplicationScoped
public class HandOverStore extends RowStore<HandOverRow> {
  HandOverStore() {
    super(HandOverRow.class, "hand-over");
  }

  public Page<HandOverRow> page(boolean ended, UUID after, int limit) {
    return page(ended ? "true = true" : "r.state in (OPEN, REPLIED)", Map.of(), after, limit);
  }

  /** Those that wait for somebody. */
  public List<HandOverRow> live() {
    return list("r.state in (OPEN, REPLIED)", Map.of());
  }

  public Optional<HandOverRow> live(HandOverKind kind, UUID about, UUID key) {
    return one(
        "r.state in (OPEN, REPLIED) and r.kind = :kind and r.keyId = :key and (r.accountId ="
            + " :about or r.seatId = :about)",
        Map.of("kind", kind, "key", key, "about", about));
  }

  public Optional<HandOverRow> byLink(String hash) {
    return one("r.linkHash = :hash", Map.of("hash", hash));
  }

  public List<HandOverRow> toRemind(Instant now) {
    return list("r.state = OPEN and r.nextReminderAt <= :now", Map.of("now", now));
  }
}
