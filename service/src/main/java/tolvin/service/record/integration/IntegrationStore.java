package tolvin.service.record.integration;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.service.store.RowStore;

/** Integrations. */
@ApplicationScoped
public class IntegrationStore extends RowStore<IntegrationRow> {
  IntegrationStore() {
    super(IntegrationRow.class, "integration");
  }

  public Page<IntegrationRow> page(String search, UUID after, int limit) {
    return page(
        "r.validUntil is null and " + holds("r.name || ' ' || r.owner"),
        Map.of("search", sought(search)),
        after,
        limit);
  }

  public Optional<IntegrationRow> byName(String name) {
    return one("r.validUntil is null and r.name = :name", Map.of("name", name));
  }

  public List<SeatRow> seatsOf(UUID integration) {
    return database
        .createQuery(
            "from SeatRow s where s.integrationId = :id and s.validUntil is null order by s.id",
            SeatRow.class)
        .setParameter("id", integration)
        .getResultList();
  }
}
