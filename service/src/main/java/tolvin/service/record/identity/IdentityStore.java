package tolvin.service.record.identity;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.service.store.RowStore;

/** The rows of identities. */
@ApplicationScoped
public class IdentityStore extends RowStore<IdentityRow> {
  IdentityStore() {
    super(IdentityRow.class, "identity");
  }

  /** A page of those in force whose name or team contains a word. */
  public Page<IdentityRow> page(String search, UUID after, int limit) {
    return page(
        "r.validUntil is null and " + holds("r.name || ' ' || r.team"),
        Map.of("search", sought(search)),
        after,
        limit);
  }

  public Optional<IdentityRow> byName(String name) {
    return one("r.validUntil is null and r.name = :name", Map.of("name", name));
  }

  /** Those in force of a team. */
  public List<IdentityRow> ofTeam(String team) {
    return list("r.validUntil is null and r.team = :team", Map.of("team", team));
  }

  /** Identities by their ids. */
  public List<IdentityRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }

  /** A person, and the service accounts that they are responsible for. */
  public List<IdentityRow> ownedBy(IdentityRow person) {
    return list(
        "r.validUntil is null and (r.id = :id or r.kind = SERVICE_ACCOUNT and r.responsible ="
            + " :name)",
        Map.of("id", person.id, "name", person.name));
  }

  /** Those in force. */
  public List<IdentityRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }

  /** All of them by id, for joining names to lists. */
  public List<IdentityRow> all() {
    return list("true = true", Map.of());
  }
}
