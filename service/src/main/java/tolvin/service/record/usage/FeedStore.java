package tolvin.service.record.usage;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import tolvin.core.signin.LineSet;
import tolvin.service.store.ClockStore;
import tolvin.service.store.RowStore;

/** Feeds and the uses that they told of. */
@ApplicationScoped
public class FeedStore extends RowStore<FeedRow> {
  private static final int MOST_LEARNED = 100_000;

  /** What this instance has learned already. */
  private final Map<String, Long> learned = new ConcurrentHashMap<>();

  private static final Duration LEARNED_FOR = Duration.ofMinutes(5);
  private volatile long learnedSince = System.nanoTime();

  FeedStore() {
    super(FeedRow.class, "feed");
  }

  /**
   * Has whoever takes in uses of a destination wait for others who do, until the transaction ends:
   * lines come by several ways at once.
   */
  public void oneAtATime(UUID destination) {
    database
        .createNativeQuery("select pg_advisory_xact_lock(hashtext(:d))::text")
        .setParameter("d", "uses " + destination)
        .getSingleResult();
  }

  /** How many logs are followed. */
  public long count() {
    return count("true = true", Map.of());
  }

  /** Whether Tolvin itself signs in to a destination just now, for a trial. */
  public boolean isTrialUnderWay(UUID destination, Instant now) {
    return !database
        .createNativeQuery(
            "select 1 from attempt a join account c on c.id = a.account_id where c.destination_id ="
                + " :at and a.outcome = 'RUNNING' and a.lease_until > :now and a.kind = 'PROVE'"
                + " limit 1")
        .setParameter("at", destination)
        .setParameter("now", now)
        .getResultList()
        .isEmpty();
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

  /**
   * The uses that a rotation of some keys asks for: those of these keys, and whatever was seen
   * lately, which shows that the feed works.
   */
  public List<UseRow> usesFor(
      Collection<UUID> accounts, Collection<String> fingerprints, Instant lately) {
    return accounts.isEmpty()
        ? List.of()
        : database
            .createQuery(
                "from UseRow u where u.accountId in :ids and (u.fingerprint in :keys or u.latest >="
                    + " :lately) order by u.latest desc",
                UseRow.class)
            .setParameter("ids", accounts)
            .setParameter("keys", fingerprints)
            .setParameter("lately", lately)
            .getResultList();
  }

  /** The last use on some accounts from an address, as Tolvin saw it itself. */
  public Optional<UseRow> lastUseFrom(Collection<UUID> accounts, String address) {
    return accounts.isEmpty()
        ? Optional.empty()
        : database
            .createQuery(
                "from UseRow u where u.accountId in :ids and u.address = :address and u.readIn ="
                    + " false order by u.latest desc",
                UseRow.class)
            .setParameter("ids", accounts)
            .setParameter("address", address)
            .setMaxResults(1)
            .getResultStream()
            .findFirst();
  }

  /**
   * How the clients at an address were seen to behave on an account.
   *
   * @param longestGap the longest silence between two uses; zero if none was seen
   * @param longestSession the longest that a connection lasted; zero if no end of one was seen
   * @param fellBackAt when a client was last seen to go on with another key after a refusal; null
   *     if never
   */
  public record ClientSeen(
      UUID account,
      String address,
      Duration longestGap,
      Duration longestSession,
      Instant fellBackAt) {}

  /** How the clients of some accounts were seen to behave. */
  public List<ClientSeen> clients(Collection<UUID> accounts) {
    if (accounts.isEmpty()) {
      return List.of();
    }
    List<?> rows =
        database
            .createNativeQuery(
                "select account_id, address, longest_gap_seconds, longest_session_seconds, "
                    + ClockStore.micros("fell_back_at")
                    + " from client_seen where account_id in :ids")
            .setParameter("ids", accounts)
            .getResultList();
    return rows.stream()
        .map(Object[].class::cast)
        .map(
            row ->
                new ClientSeen(
                    (UUID) row[0],
                    (String) row[1],
                    Duration.ofSeconds(((Number) row[2]).longValue()),
                    Duration.ofSeconds(((Number) row[3]).longValue()),
                    row[4] == null ? null : ClockStore.instant(row[4])))
        .toList();
  }

  /** A silence between two uses that was watched from its beginning to its end. */
  public void learnGap(UUID account, String address, long seconds) {
    learn(account, address, "longest_gap_seconds", seconds);
  }

  /** A connection that was watched from its beginning to its end. */
  public void learnRun(UUID account, String address, long seconds) {
    learn(account, address, "longest_session_seconds", seconds);
  }

  private void learn(UUID account, String address, String column, long seconds) {
    String what = account + " " + address + " " + column;
    long now = System.nanoTime();
    if (learned.size() >= MOST_LEARNED || now - learnedSince > LEARNED_FOR.toNanos()) {
      learned.clear(); // another instance may have been told to forget it
      learnedSince = now;
    }
    if (learned.getOrDefault(what, -1L) >= seconds) {
      return; // nothing new, and most uses bring nothing new
    }
    learned.put(what, seconds);
    database
        .createNativeQuery(
            "insert into client_seen as c (account_id, address, "
                + column
                + ") values (:account, :address, :seconds) on conflict (account_id, address) do"
                + " update set "
                + column
                + " = excluded."
                + column
                + " where c."
                + column
                + " < excluded."
                + column)
        .setParameter("account", account)
        .setParameter("address", address)
        .setParameter("seconds", seconds)
        .executeUpdate();
  }

  /** A client that went on with another key after a refusal. */
  public void learnFallBack(UUID account, String address, Instant at) {
    database
        .createNativeQuery(
            "insert into client_seen (account_id, address, fell_back_at) values (:account,"
                + " :address, :at) on conflict (account_id, address) do update set fell_back_at ="
                + " excluded.fell_back_at")
        .setParameter("account", account)
        .setParameter("address", address)
        .setParameter("at", at)
        .executeUpdate();
  }

  /** Forgets how the clients at an address were seen to behave on some accounts. */
  public void forgetLearned(Collection<UUID> accounts, String address) {
    if (!accounts.isEmpty()) {
      learned.clear();
      database
          .createNativeQuery(
              "delete from client_seen where account_id in :ids and address = :address")
          .setParameter("ids", accounts)
          .setParameter("address", address)
          .executeUpdate();
    }
  }

  /** The last uses seen on the accounts in force of a destination. */
  public List<UseRow> usesAt(UUID destination, int most) {
    return database
        .createQuery(
            "from UseRow u where u.accountId in (select a.id from AccountRow a where"
                + " a.destinationId = :d and a.validUntil is null) order by u.latest desc",
            UseRow.class)
        .setParameter("d", destination)
        .setMaxResults(most)
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

  /** The last use of each of some keys, for lists. */
  public Map<String, Instant> lastUses(Collection<String> fingerprints) {
    Map<String, Instant> last = new java.util.HashMap<>();
    if (fingerprints.isEmpty()) {
      return last;
    }
    database
        .createQuery(
            "select u.fingerprint, max(u.latest) from UseRow u where u.fingerprint in :keys group by"
                + " u.fingerprint",
            Object[].class)
        .setParameter("keys", fingerprints)
        .getResultStream()
        .forEach(row -> last.put((String) row[0], (Instant) row[1]));
    return last;
  }

  /** The uses on record of some keys on some accounts. */
  public List<UseRow> usesOf(Collection<UUID> accounts, Collection<String> fingerprints) {
    List<UseRow> found = new ArrayList<>();
    for (List<UUID> some : parts(accounts)) {
      for (List<String> keys : parts(fingerprints)) {
        found.addAll(
            database
                .createQuery(
                    "from UseRow u where u.accountId in :ids and u.fingerprint in :keys",
                    UseRow.class)
                .setParameter("ids", some)
                .setParameter("keys", keys)
                .getResultList());
      }
    }
    return found;
  }

  /** Adds uses that were never seen before. */
  public UseRow add(UseRow use) {
    database.persist(use);
    return use;
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

  /** The uses on record of some keys at some logins of a destination that nobody knew. */
  public List<UseElsewhereRow> usesElsewhere(
      UUID destination, Collection<String> logins, Collection<String> fingerprints) {
    List<UseElsewhereRow> found = new ArrayList<>();
    for (List<String> some : parts(logins)) {
      for (List<String> keys : parts(fingerprints)) {
        found.addAll(
            database
                .createQuery(
                    "from UseElsewhereRow u where u.destinationId = :d and u.login in :logins and"
                        + " u.fingerprint in :keys",
                    UseElsewhereRow.class)
                .setParameter("d", destination)
                .setParameter("logins", some)
                .setParameter("keys", keys)
                .getResultList());
      }
    }
    return found;
  }

  /** Adds uses on an account that nobody knew. */
  public UseElsewhereRow add(UseElsewhereRow use) {
    database.persist(use);
    return use;
  }

  /** The lines of an hour that were counted already; locked until the transaction ends. */
  public LineSet counted(UUID destination, Instant hour) {
    List<?> found =
        database
            .createNativeQuery(
                "select digests from feed_hour where destination_id = :d and hour = :h for update")
            .setParameter("d", destination)
            .setParameter("h", hour)
            .getResultList();
    return found.isEmpty() ? LineSet.empty() : LineSet.of((byte[]) found.get(0));
  }

  /** Keeps the lines of an hour that were counted. */
  public void keepCounted(UUID destination, Instant hour, LineSet counted) {
    database
        .createNativeQuery(
            "insert into feed_hour (destination_id, hour, digests) values (:d, :h, :bytes) on"
                + " conflict (destination_id, hour) do update set digests = excluded.digests")
        .setParameter("d", destination)
        .setParameter("h", hour)
        .setParameter("bytes", counted.toBytes())
        .executeUpdate();
  }

  /**
   * A connection that was signed in and has not ended yet.
   *
   * @param at when it began
   */
  public record OpenConnection(
      String address, int port, String login, String fingerprint, Instant at) {}

  /** Remembers connections until their ends are told. */
  public void keepOpen(UUID destination, List<OpenConnection> connections) {
    if (connections.isEmpty()) {
      return;
    }
    database
        .createNativeQuery(
            "insert into open_connection (destination_id, address, port, login, fingerprint, at)"
                + " select cast(:d as uuid), address, port, login, fingerprint, at from"
                + " json_to_recordset(cast(:rows as json)) as r(address text, port int, login text,"
                + " fingerprint text, at timestamptz) on conflict (destination_id, address, port)"
                + " do update set login = excluded.login, fingerprint = excluded.fingerprint, at ="
                + " excluded.at where open_connection.at <= excluded.at")
        .setParameter("d", destination)
        .setParameter("rows", json(rows(connections)))
        .executeUpdate();
  }

  /** The connections of these that were remembered; they are forgotten by it. */
  public List<OpenConnection> endOpen(UUID destination, List<OpenConnection> ended) {
    if (ended.isEmpty()) {
      return List.of();
    }
    List<?> found =
        database
            .createNativeQuery(
                "delete from open_connection o using json_to_recordset(cast(:rows as json)) as"
                    + " r(address text, port int) where o.destination_id = :d and o.address ="
                    + " r.address and o.port = r.port returning o.address, o.port, o.login,"
                    + " o.fingerprint, "
                    + ClockStore.micros("o.at"))
            .setParameter("d", destination)
            .setParameter("rows", json(rows(ended)))
            .getResultList();
    return found.stream()
        .map(Object[].class::cast)
        .map(
            row ->
                new OpenConnection(
                    (String) row[0],
                    (Integer) row[1],
                    (String) row[2],
                    (String) row[3],
                    ClockStore.instant(row[4])))
        .toList();
  }

  private static List<Map<String, Object>> rows(List<OpenConnection> connections) {
    return connections.stream()
        .map(
            c -> {
              Map<String, Object> row = new HashMap<>();
              row.put("address", c.address());
              row.put("port", c.port());
              row.put("login", c.login());
              row.put("fingerprint", c.fingerprint());
              row.put("at", c.at() == null ? null : c.at().toString());
              return row;
            })
        .toList();
  }

  /** Forgets connections that began before a moment. */
  public void forgetOpen(UUID destination, Instant before) {
    database
        .createNativeQuery("delete from open_connection where destination_id = :d and at < :before")
        .setParameter("d", destination)
        .setParameter("before", before)
        .executeUpdate();
  }
}
