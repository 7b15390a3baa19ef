package tolvin.service.record.key;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.weak.Weakness;
import tolvin.service.store.RowStore;

/** What speaks against keys. */
@ApplicationScoped
public class WeaknessStore extends RowStore<WeaknessRow> {
  WeaknessStore() {
    super(WeaknessRow.class, "weakness");
  }

  /** The weaknesses of some keys, by key. */
  public Map<UUID, List<Weakness>> of(Collection<UUID> keys) {
    return keys.isEmpty() ? Map.of() : byKey(list("r.keyId in :keys", Map.of("keys", keys)));
  }

  /** The weaknesses of all keys, by key. */
  public Map<UUID, List<Weakness>> all() {
    return byKey(list("true = true", Map.of()));
  }

  /** Removes what a list of compromised keys said. */
  public void forget(String list) {
    database
        .createQuery("delete from WeaknessRow r where r.kind = :kind and r.detail = :detail")
        .setParameter("kind", Weakness.Kind.COMPROMISED)
        .setParameter("detail", list)
        .executeUpdate();
  }

  private static Map<UUID, List<Weakness>> byKey(List<WeaknessRow> rows) {
    return rows.stream()
        .collect(
            Collectors.groupingBy(
                w -> w.keyId,
                Collectors.mapping(w -> new Weakness(w.kind, w.detail), Collectors.toList())));
  }
}
