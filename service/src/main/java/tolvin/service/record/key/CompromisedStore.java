package tolvin.service.record.key;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;

/** The lists of compromised keys and what stands on them. */
@ApplicationScoped
public class CompromisedStore extends RowStore<CompromisedRow> {
  CompromisedStore() {
    super(CompromisedRow.class, "list");
  }

  public List<CompromisedRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }

  public Optional<CompromisedRow> byName(String name) {
    return one("r.validUntil is null and r.name = :name", Map.of("name", name));
  }

  /** Adds digests to a list; those that are there already are passed over. */
  public void addAll(UUID list, Collection<String> digests) {
    database
        .createNativeQuery(
            "insert into compromised_key (list_id, digest) select :list, d from"
                + " unnest(cast(:digests as text[])) d on conflict do nothing")
        .setParameter("list", list)
        .setParameter("digests", digests.toArray(String[]::new))
        .executeUpdate();
  }

  public long count(UUID list) {
    return ((Number)
            database
                .createNativeQuery("select count(*) from compromised_key where list_id = :list")
                .setParameter("list", list)
                .getSingleResult())
        .longValue();
  }

  /** For each of some digests that stands on a list in force, that list's name. */
  public Map<String, String> named(Collection<String> digests) {
    Map<String, String> named = new HashMap<>();
    if (digests.isEmpty()) {
      return named;
    }
    @SuppressWarnings("unchecked")
    List<Object[]> rows =
        database
            .createNativeQuery(
                "select c.digest, l.name from compromised_key c join compromised_list l on l.id ="
                    + " c.list_id where l.valid_until is null and c.digest ="
                    + " any(cast(:digests as text[]))")
            .setParameter("digests", digests.toArray(String[]::new))
            .getResultList();
    rows.forEach(row -> named.put((String) row[0], (String) row[1]));
    return named;
  }

  /** The live keys that stand on a list. */
  public List<UUID> keysOn(UUID list) {
    List<?> ids =
        database
            .createNativeQuery(
                "select k.id from key_record k join compromised_key c on c.digest in"
                    + " (k.fingerprint, k.md5) where c.list_id = :list and k.ended_at is null")
            .setParameter("list", list)
            .getResultList();
    return ids.stream().map(UUID.class::cast).toList();
  }
}
