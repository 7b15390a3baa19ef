package tolvin.service.record.destination;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.service.record.account.AccountRow;
import tolvin.service.store.RowStore;

/** Destinations and their pinned host keys. */
@ApplicationScoped
public class DestinationStore extends RowStore<DestinationRow> {
  DestinationStore() {
    super(DestinationRow.class, "destination");
  }

  public Page<DestinationRow> page(String search, UUID after, int limit) {
    return page(
        "r.validUntil is null and " + holds("r.name || ' ' || r.host"),
        Map.of("search", sought(search)),
        after,
        limit);
  }

  /** How many are in force. */
  public long count() {
    return count("r.validUntil is null", Map.of());
  }

  /** Those in force. */
  public List<DestinationRow> inForce() {
    return list("r.validUntil is null", Map.of());
  }

  /** Those in force whose accounts sign in at a server which is not theirs. */
  public List<DestinationRow> signingInAt(UUID server) {
    return list("r.validUntil is null and r.signsInAtId = :server", Map.of("server", server));
  }

  /** Some of those that are stopped, or failed when they were last looked at. */
  public List<DestinationRow> inTrouble(int most) {
    return destinations("stopped_because is not null or health ->> 'failure' is not null", most);
  }

  /** Some of those of which it is known when Tolvin's secret ends, and that work. */
  public List<DestinationRow> withSecretThatEnds(int most) {
    return destinations(
        "stopped_because is null and health ->> 'failure' is null"
            + " and (health ->> 'secretEnds' is not null or secret_ends_at is not null)",
        most);
  }

  private List<DestinationRow> destinations(String condition, int most) {
    List<?> ids =
        database
            .createNativeQuery(
                "select id from destination where valid_until is null and ("
                    + condition
                    + ") order by id desc")
            .setMaxResults(most)
            .getResultList();
    return ids.isEmpty()
        ? List.of()
        : query("r.id in :ids", Map.of("ids", ids), "r.id desc").getResultList();
  }

  /** An account as people name it: {@code login@destination}. */
  public String nameOf(AccountRow account) {
    return account.login + "@" + get(account.destinationId).name;
  }

  /** The destination in force with a name. */
  public Optional<DestinationRow> named(String name) {
    return byName(name);
  }

  public Optional<DestinationRow> byName(String name) {
    return one("r.validUntil is null and r.name = :name", Map.of("name", name));
  }

  public List<HostKeyRow> hostKeys(UUID destination) {
    return database
        .createQuery(
            "from HostKeyRow h where h.destinationId = :id and h.validUntil is null order by h.id",
            HostKeyRow.class)
        .setParameter("id", destination)
        .getResultList();
  }

  public void addHostKey(HostKeyRow key) {
    database.persist(key);
  }

  /** Those that a version of a sheet describes. */
  public List<DestinationRow> ofSheet(UUID sheet) {
    return list("r.validUntil is null and r.sheetId = :sheet", Map.of("sheet", sheet));
  }

  public List<HostKeySeenRow> hostKeysSeen(UUID destination) {
    return database
        .createQuery(
            "from HostKeySeenRow h where h.destinationId = :id order by h.id", HostKeySeenRow.class)
        .setParameter("id", destination)
        .getResultList();
  }

  public void addHostKeySeen(HostKeySeenRow key) {
    database.persist(key);
  }

  public List<KnownHostSupplyRow> supplies(UUID destination) {
    return database
        .createQuery(
            "from KnownHostSupplyRow s where s.destinationId = :id order by s.id",
            KnownHostSupplyRow.class)
        .setParameter("id", destination)
        .getResultList();
  }

  public void addSupply(KnownHostSupplyRow supply) {
    database.persist(supply);
  }

  public KnownHostSupplyRow supply(UUID id) {
    return database.find(KnownHostSupplyRow.class, id);
  }

  /** When the next host key ends that is accepted until a date. */
  public Optional<Instant> nextHostKeyEnd(Instant now) {
    return database
        .createQuery(
            "select min(h.acceptedUntil) from HostKeyRow h where h.validUntil is null and"
                + " h.acceptedUntil > :now",
            Instant.class)
        .setParameter("now", now)
        .getResultStream()
        .filter(Objects::nonNull)
        .findFirst();
  }

  /** Host keys whose time is over. */
  public List<HostKeyRow> outdatedHostKeys(Instant now) {
    return database
        .createQuery(
            "from HostKeyRow h where h.validUntil is null and h.acceptedUntil <= :now",
            HostKeyRow.class)
        .setParameter("now", now)
        .getResultList();
  }
}
