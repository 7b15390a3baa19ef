package tolvin.service.record.account;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.LockModeType;
import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.api.Page;
import tolvin.service.store.RowStore;

/** Accounts. */
@ApplicationScoped
public class AccountStore extends RowStore<AccountRow> {
  AccountStore() {
    super(AccountRow.class, "account");
  }

  /** The accounts in force of one destination, or of all. */
  public List<AccountRow> of(UUID destination) {
    return destination == null
        ? list("r.validUntil is null", Map.of())
        : list("r.validUntil is null and r.destinationId = :d", Map.of("d", destination));
  }

  /** The accounts in force that belong to a person. */
  public List<AccountRow> ofIdentity(UUID identity) {
    return ofIdentities(List.of(identity));
  }

  /** The accounts in force that belong to some persons. */
  public List<AccountRow> ofIdentities(Collection<UUID> identities) {
    return parts(identities).stream()
        .flatMap(
            some -> list("r.validUntil is null and r.identityId in :i", Map.of("i", some)).stream())
        .toList();
  }

  /** Accounts by their ids, locked in one order until the transaction ends. */
  public List<AccountRow> lockAll(Collection<UUID> ids) {
    return ids.isEmpty()
        ? List.of()
        : database
            .createQuery("from AccountRow r where r.id in :ids order by r.id", AccountRow.class)
            .setParameter("ids", ids)
            .setLockMode(LockModeType.PESSIMISTIC_WRITE)
            .getResultList();
  }

  /** Notes that accounts were read and are as they were; rows that are in memory stay older. */
  public void readAgain(Collection<UUID> ids, Instant at) {
    if (ids.isEmpty()) {
      return;
    }
    database
        .createQuery("update AccountRow r set r.readAt = :at where r.id in :ids")
        .setParameter("at", at)
        .setParameter("ids", ids)
        .executeUpdate();
  }

  /** Accounts by their ids. */
  public List<AccountRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }

  /**
   * Some accounts in force that were never read, on destinations where something may be done; the
   * last ones first, since somebody waits for those.
   *
   * @param notThere destinations that are left out for now
   */
  public List<AccountRow> neverRead(Collection<UUID> notThere, int most) {
    return database
        .createQuery(
            "from AccountRow r where r.validUntil is null and r.readAt is null and r.destinationId"
                + " in (select d.id from DestinationRow d where d.stoppedBecause is null) and"
                + " r.destinationId not in :not order by r.id desc",
            AccountRow.class)
        .setParameter("not", notThere.isEmpty() ? List.of(NOBODY) : notThere)
        .setMaxResults(most)
        .getResultList();
  }

  /** Accounts in force, the newest first. */
  public Page<AccountRow> page(UUID destination, String search, UUID after, int limit) {
    Map<String, Object> values = new HashMap<>();
    String condition = "r.validUntil is null";
    if (destination != null) {
      condition += " and r.destinationId = :d";
      values.put("d", destination);
    }
    if (!search.isBlank()) {
      // each part by an index of its own
      condition +=
          " and r.id in (select a.id from AccountRow a where "
              + holds("a.login")
              + " union select a.id from AccountRow a where a.destinationId in (select d.id from"
              + " DestinationRow d where "
              + holds("d.name")
              + ")";
      values.put("search", sought(search));
      int at = search.strip().lastIndexOf('@');
      if (at >= 0) {
        condition +=
            " union select a.id from AccountRow a where "
                + fits("a.login", "login")
                + " and a.destinationId in (select d.id from DestinationRow d where "
                + fits("d.name", "place")
                + ")";
        values.put("login", endsWith(search.strip().substring(0, at)));
        values.put("place", beginsWith(search.strip().substring(at + 1)));
      }
      condition += ")";
    }
    return page(condition, values, after, limit);
  }

  /** Some account in force of a destination, as whom one can get in there. */
  public Optional<AccountRow> any(UUID destination) {
    return one("r.validUntil is null and r.destinationId = :d", Map.of("d", destination));
  }

  /** How many accounts in force a destination has. */
  public long count(UUID destination) {
    return count("r.validUntil is null and r.destinationId = :d", Map.of("d", destination));
  }

  /**
   * The accounts in force with some logins that sign in at a destination: its own, and others'
   * whose keys it takes.
   */
  public Map<String, List<AccountRow>> signingInAt(UUID destination, Collection<String> logins) {
    return parts(logins).stream()
        .flatMap(
            some ->
                list(
                    "r.validUntil is null and r.login in :logins and (r.destinationId = :d or"
                        + " r.destinationId in (select d.id from DestinationRow d where"
                        + " d.signsInAtId = :d))",
                    Map.of("d", destination, "logins", some))
                    .stream())
        .collect(Collectors.groupingBy(a -> a.login));
  }

  /** The account in force with a login. */
  public Optional<AccountRow> withLogin(UUID destination, String login) {
    return byLogin(destination, login);
  }

  public Optional<AccountRow> byLogin(UUID destination, String login) {
    return one(
        "r.validUntil is null and r.destinationId = :d and r.login = :login",
        Map.of("d", destination, "login", login));
  }
}
