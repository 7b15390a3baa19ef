package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.signin.LineSet;
import tolvin.service.store.RowStore;

/** Feeds and the uses that they told of. */
@ApplicationScoped
public class FeedStore extends RowStore<FeedRow> {
  FeedStore() {
    super(FeedRow.class, "feed");
  }

  /** A feed that is due and that nobody else reads; locked until the transaction ends. */
  Optional<FeedRow> claim(Instant now) {
    List<?> ids =
        database
            .createNativeQuery(
                "select destination_id from feed where next_read_at <= :now and (lease_until is"
                    + " null or lease_until < :now) and not exists (select 1 from attempt a join"
                    + " account c on c.id = a.account_id where c.destination_id ="
                    + " feed.destination_id and a.outcome = 'RUNNING' and a.lease_until > :now and"
                    + " a.effect like 'prove %') order by next_read_at limit 1 for update skip"
                    + " locked",
                UUID.class)
            .setParameter("now", now)
            .getResultList();
    return ids.isEmpty() ? Optional.empty() : find((UUID) ids.get(0));
  }

  /** The uses seen on some accounts. */
  public List<UseRow> uses(Collection<UUID> accounts) {
    return accounts.isEmpty()
        ? List.of()
        : database
            .createQuery(
                "from UseRow u where u.accountId in :ids order by u.latest desc", UseRow.class)
            .setParameter("ids", accounts)
            .getResultList();
  }

  /** The uses seen of one key. */
  public List<UseRow> usesOf(String fingerprint) {
    return database
        .createQuery(
            "from UseRow u where u.fingerprint = :key order by u.latest desc", UseRow.class)
        .setParameter("key", fingerprint)
        .getResultList();
  }

  /** The last use of each key, for lists. */
  public Map<String, Instant> lastUses() {
    Map<String, Instant> last = new java.util.HashMap<>();
    database
        .createQuery(
            "select u.fingerprint, max(u.latest) from UseRow u group by u.fingerprint",
            Object[].class)
        .getResultStream()
        .forEach(row -> last.put((String) row[0], (Instant) row[1]));
    return last;
  }

  private Optional<UseRow> use(UUID account, String fingerprint, String address) {
    return database
        .createQuery(
            "from UseRow u where u.accountId = :a and u.fingerprint = :f and u.address = :d",
            UseRow.class)
        .setParameter("a", account)
        .setParameter("f", fingerprint)
        .setParameter("d", address)
        .getResultStream()
        .findFirst();
  }

  /** The row of a key's uses on an account from an address; a new one, used at no time yet. */
  UseRow useOrNew(UUID id, UUID account, String key, String address, Instant firstAt) {
    return use(account, key, address)
        .orElseGet(
            () -> {
              UseRow row = new UseRow();
              row.id = id;
              row.accountId = account;
              row.fingerprint = key;
              row.address = address;
              row.firstAt = firstAt;
              row.earliest = Instant.EPOCH;
              row.latest = Instant.EPOCH;
              addUse(row);
              return row;
            });
  }

  /** The uses on accounts of a destination that nobody knew, the last ones first. */
  public List<UseElsewhereRow> usesElsewhere(UUID destination, int most) {
    return database
        .createQuery(
            "from UseElsewhereRow u where u.destinationId = :d order by u.latest desc",
            UseElsewhereRow.class)
        .setParameter("d", destination)
        .setMaxResults(most)
        .getResultList();
  }

  UseElsewhereRow elsewhereOrNew(
      UUID id, UUID destination, String login, String key, String address, Instant firstAt) {
    return database
        .createQuery(
            "from UseElsewhereRow u where u.destinationId = :d and u.login = :l and u.fingerprint ="
                + " :f and u.address = :a",
            UseElsewhereRow.class)
        .setParameter("d", destination)
        .setParameter("l", login)
        .setParameter("f", key)
        .setParameter("a", address)
        .getResultStream()
        .findFirst()
        .orElseGet(
            () -> {
              UseElsewhereRow row = new UseElsewhereRow();
              row.id = id;
              row.destinationId = destination;
              row.login = login;
              row.fingerprint = key;
              row.address = address;
              row.firstAt = firstAt;
              row.latest = firstAt;
              database.persist(row);
              return row;
            });
  }

  /** The lines of an hour that were counted already; locked until the transaction ends. */
  LineSet counted(UUID destination, Instant hour) {
    List<?> found =
        database
            .createNativeQuery(
                "select digests from feed_hour where destination_id = :d and hour = :h for update",
                byte[].class)
            .setParameter("d", destination)
            .setParameter("h", hour)
            .getResultList();
    return found.isEmpty() ? LineSet.empty() : LineSet.of((byte[]) found.get(0));
  }

  /** Keeps the lines of an hour that were counted. */
  void keepCounted(UUID destination, Instant hour, LineSet counted) {
    database
        .createNativeQuery(
            "insert into feed_hour (destination_id, hour, digests) values (:d, :h, :bytes) on"
                + " conflict (destination_id, hour) do update set digests = excluded.digests")
        .setParameter("d", destination)
        .setParameter("h", hour)
        .setParameter("bytes", counted.toBytes())
        .executeUpdate();
  }

  private void addUse(UseRow use) {
    database.persist(use);
  }
}
