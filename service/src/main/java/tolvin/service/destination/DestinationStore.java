package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;
import tolvin.service.web.Page;

/** Destinations and their pinned host keys. */
@ApplicationScoped
public class DestinationStore extends RowStore<DestinationRow> {
  DestinationStore() {
    super(DestinationRow.class, "destination");
  }

  Page<DestinationRow> page(String search, UUID after, int limit) {
    return page(
        "r.validUntil is null and lower(r.name || ' ' || r.host) like :search",
        Map.of("search", "%" + search.toLowerCase(Locale.ROOT) + "%"),
        after,
        limit);
  }

  /** Those in force. */
  public List<DestinationRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }

  Optional<DestinationRow> byName(String name) {
    return one("r.validUntil is null and r.name = :name", Map.of("name", name));
  }

  List<HostKeyRow> hostKeys(UUID destination) {
    return database
        .createQuery(
            "from HostKeyRow h where h.destinationId = :id and h.validUntil is null order by h.id",
            HostKeyRow.class)
        .setParameter("id", destination)
        .getResultList();
  }

  void addHostKey(HostKeyRow key) {
    database.persist(key);
  }
}
