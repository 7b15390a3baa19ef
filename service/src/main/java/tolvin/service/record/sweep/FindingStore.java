package tolvin.service.record.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.FindingState;
import tolvin.core.sweep.Severity;
import tolvin.service.store.RowStore;

/** Findings. */
@ApplicationScoped
public class FindingStore extends RowStore<FindingRow> {
  /** How bad as a number, the worst first. */
  private static final String RANK =
      "(case r.severity when CRITICAL then 0 when MAJOR then 1 else 2 end)";

  FindingStore() {
    super(FindingRow.class, "finding");
  }

  /**
   * What findings are looked for.
   *
   * @param kind absent for all
   * @param severity absent for all
   */
  public record Wanted(
      FindingState state,
      UUID destination,
      UUID account,
      FindingKind kind,
      Severity severity,
      String search) {
    /** The open ones, unless others are meant. */
    public Wanted {
      state = state == null ? FindingState.OPEN : state;
    }
  }

  /** The worst first, and of those the newest. */
  public Page<FindingRow> page(Wanted wanted, Instant now, UUID after, int limit) {
    Map<String, Object> values = new HashMap<>();
    String condition = condition(wanted, now, values);
    if (after != null) {
      values.put("rank", get(after).severity.ordinal());
      values.put("after", after);
      condition += " and (" + RANK + " > :rank or " + RANK + " = :rank and r.id < :after)";
    }
    return page(query(condition, values, RANK + ", r.id desc"), limit);
  }

  private static String condition(Wanted wanted, Instant now, Map<String, Object> values) {
    StringBuilder condition = new StringBuilder();
    switch (wanted.state()) {
      case SETTLED -> condition.append("r.settledAt is not null");
      case ACCEPTED -> {
        condition.append("r.settledAt is null and r.acceptedUntil > :now");
        values.put("now", now);
      }
      case OPEN -> {
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
      condition.append(" and ").append(holds("r.sentence || ' ' || r.evidence"));
      values.put("search", sought(wanted.search()));
    }
    return condition.toString();
  }

  private static void add(
      StringBuilder condition,
      Map<String, Object> values,
      String column,
      String name,
      Object value) {
    if (value != null) {
      condition.append(" and ").append(column).append(" = :").append(name);
      values.put(name, value);
    }
  }

  /** A group of open findings: kind and severity with how many there are. */
  public record Group(FindingKind kind, Severity severity, long count) {}

  public List<Group> groups(Wanted wanted, Instant now) {
    Map<String, Object> values = new HashMap<>();
    var query =
        database.createQuery(
            "select new tolvin.service.record.sweep.FindingStore$Group(r.kind, r.severity, count(r)) from"
                + " FindingRow r where "
                + condition(wanted, now, values)
                + " group by r.kind, r.severity",
            Group.class);
    values.forEach(query::setParameter);
    return query.getResultList();
  }

  /** How many are critical, neither settled nor accepted. */
  public long openCritical(Instant now) {
    return database
        .createQuery(
            "select count(r) from FindingRow r where r.settledAt is null and r.severity = CRITICAL"
                + " and (r.acceptedUntil is null or r.acceptedUntil <= :now)",
            Long.class)
        .setParameter("now", now)
        .getSingleResult();
  }

  /** Findings that are not settled, of some accounts. */
  public List<FindingRow> unsettled(Collection<UUID> accounts) {
    return accounts.isEmpty()
        ? List.of()
        : list("r.settledAt is null and r.accountId in :ids", Map.of("ids", accounts));
  }

  /** Findings about a seat that are not settled. */
  public List<FindingRow> unsettledOfSeat(UUID seat) {
    return list(
        "r.settledAt is null and r.kind in :kinds and r.subject like :seat",
        Map.of(
            "kinds",
            List.of(FindingKind.SEAT_REFUSED, FindingKind.LEFT_PRIVATE_KEY),
            "seat",
            seat + "%"));
  }

  /** The worst findings that a person has to know of, neither settled nor accepted. */
  public List<FindingRow> openOfSeats(Instant now, int most) {
    return query(
            "r.settledAt is null and r.kind = :kind and (r.acceptedUntil is null or r.acceptedUntil"
                + " <= :now)",
            Map.of("kind", FindingKind.SEAT_REFUSED, "now", now),
            "r.firstSeenAt")
        .setMaxResults(most)
        .getResultList();
  }

  /** Findings about a destination as such that are not settled. */
  public List<FindingRow> unsettledOfDestination(UUID destination) {
    return list(
        "r.settledAt is null and r.accountId is null and r.destinationId = :d",
        Map.of("d", destination));
  }

  /** Notes that some findings were found again just as they were. */
  public void seenAgain(Collection<UUID> ids, Instant at) {
    if (ids.isEmpty()) {
      return;
    }
    database
        .createQuery("update FindingRow r set r.seenAt = :at where r.id in :ids")
        .setParameter("at", at)
        .setParameter("ids", ids)
        .executeUpdate();
  }

  /** What tells one matter on a destination from every other. */
  public static String matter(UUID account, FindingKind kind, String subject) {
    return account + " " + kind + " " + subject;
  }

  /** How often each matter of some accounts, or of a destination as such, was settled before. */
  public Map<String, Integer> settledBefore(UUID destination, Collection<UUID> accounts) {
    Map<String, Integer> counts = new HashMap<>();
    database
        .createQuery(
            "select r.accountId, r.kind, r.subject, count(r) from FindingRow r where r.settledAt is"
                + " not null and r.destinationId = :d and (r.accountId in :ids or r.accountId is"
                + " null) group by r.accountId, r.kind, r.subject",
            Object[].class)
        .setParameter("d", destination)
        .setParameter("ids", accounts.isEmpty() ? List.of(NOBODY) : accounts)
        .getResultList()
        .forEach(
            row ->
                counts.put(
                    matter((UUID) row[0], (FindingKind) row[1], (String) row[2]),
                    ((Number) row[3]).intValue()));
    return counts;
  }

  public List<FindingRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }
}
