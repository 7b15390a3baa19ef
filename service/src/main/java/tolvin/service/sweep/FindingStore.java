package tolvin.service.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.service.store.RowStore;
import tolvin.service.web.Page;

/** Findings. */
@ApplicationScoped
public class FindingStore extends RowStore<FindingRow> {
  FindingStore() {
    super(FindingRow.class, "finding");
  }

  /**
   * What findings are looked for.
   *
   * @param state open, accepted or settled
   */
  record Wanted(
      String state, UUID destination, UUID account, String kind, String severity, String search) {}

  Page<FindingRow> page(Wanted wanted, Instant now, UUID after, int limit) {
    Map<String, Object> values = new HashMap<>();
    return page(condition(wanted, now, values), values, after, limit);
  }

  private static String condition(Wanted wanted, Instant now, Map<String, Object> values) {
    StringBuilder condition = new StringBuilder();
    switch (wanted.state()) {
      case "settled" -> condition.append("r.settledAt is not null");
      case "accepted" -> {
        condition.append("r.settledAt is null and r.acceptedUntil > :now");
        values.put("now", now);
      }
      default -> {
        condition.append(
            "r.settledAt is null and (r.acceptedUntil is null or r.acceptedUntil <= :now)");
        values.put("now", now);
      }
    }
    add(condition, values, "r.destinationId", "destination", wanted.destination());
    add(condition, values, "r.accountId", "account", wanted.account());
    add(condition, values, "r.kind", "kind", wanted.kind());
    add(condition, values, "r.severity", "severity", wanted.severity());
    if (wanted.search() != null && !wanted.search().isBlank()) {
      condition.append(" and lower(r.sentence || ' ' || r.evidence) like :search");
      values.put("search", "%" + wanted.search().strip().toLowerCase(java.util.Locale.ROOT) + "%");
    }
    return condition.toString();
  }

  private static void add(
      StringBuilder condition,
      Map<String, Object> values,
      String column,
      String name,
      Object value) {
    if (value != null && !value.equals("")) {
      condition.append(" and ").append(column).append(" = :").append(name);
      values.put(name, value);
    }
  }

  /** A group of open findings: kind and severity with how many there are. */
  record Group(String kind, String severity, long count) {}

  List<Group> groups(Wanted wanted, Instant now) {
    Map<String, Object> values = new HashMap<>();
    var query =
        database.createQuery(
            "select new tolvin.service.sweep.FindingStore$Group(r.kind, r.severity, count(r)) from"
                + " FindingRow r where "
                + condition(wanted, now, values)
                + " group by r.kind, r.severity",
            Group.class);
    values.forEach(query::setParameter);
    return query.getResultList();
  }

  /** How many are broken, neither settled nor accepted. */
  public long openBroken(Instant now) {
    return database
        .createQuery(
            "select count(r) from FindingRow r where r.settledAt is null and r.severity = 'broken'"
                + " and (r.acceptedUntil is null or r.acceptedUntil <= :now)",
            Long.class)
        .setParameter("now", now)
        .getSingleResult();
  }

  /** Findings that are not settled, of some accounts. */
  List<FindingRow> unsettled(Collection<UUID> accounts) {
    return accounts.isEmpty()
        ? List.of()
        : list("r.settledAt is null and r.accountId in :ids", Map.of("ids", accounts));
  }

  /** Findings about a destination as such that are not settled. */
  List<FindingRow> unsettledOfDestination(UUID destination) {
    return list(
        "r.settledAt is null and r.accountId is null and r.destinationId = :d",
        Map.of("d", destination));
  }

  /** How often a matter was settled before. */
  int settledBefore(UUID destination, UUID account, String kind, String subject) {
    return database
        .createQuery(
            "select count(r) from FindingRow r where r.settledAt is not null and r.destinationId ="
                + " :d and r.kind = :k and r.subject = :s and (r.accountId = :a or (:a is null and"
                + " r.accountId is null))",
            Long.class)
        .setParameter("d", destination)
        .setParameter("a", account)
        .setParameter("k", kind)
        .setParameter("s", subject)
        .getSingleResult()
        .intValue();
  }

  List<FindingRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }
}
