package tolvin.service.record.placement;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.service.problem.Problem;
import tolvin.service.store.RowStore;

/** Placements and trials. */
@ApplicationScoped
public class PlacementStore extends RowStore<PlacementRow> {
  PlacementStore() {
    super(PlacementRow.class, "placement");
  }

  /** Placements by their ids. */
  public List<PlacementRow> byIds(Collection<UUID> ids) {
    return ids.isEmpty() ? List.of() : list("r.id in :ids", Map.of("ids", ids));
  }

  /** The placements of some keys that are not withdrawn. */
  public List<PlacementRow> liveOfKeys(Collection<UUID> keys) {
    return keys.isEmpty()
        ? List.of()
        : list("r.state <> WITHDRAWN and r.keyId in :keys", Map.of("keys", keys));
  }

  /** All placements that are not withdrawn. */
  public List<PlacementRow> allLive() {
    return list("r.state <> WITHDRAWN", Map.of());
  }

  /** The placements on some accounts that are not withdrawn. */
  public List<PlacementRow> liveOnAccounts(Collection<UUID> accounts) {
    return parts(accounts).stream()
        .flatMap(
            some ->
                list("r.state <> WITHDRAWN and r.accountId in :ids", Map.of("ids", some)).stream())
        .toList();
  }

  /** The placement of a key on an account that is not withdrawn. */
  public Optional<PlacementRow> live(UUID key, UUID account) {
    return one(
        "r.state <> WITHDRAWN and r.keyId = :key and r.accountId = :account",
        Map.of("key", key, "account", account));
  }

  /**
   * Likewise, where there has to be one.
   *
   * @throws IllegalStateException if there is none
   */
  public PlacementRow known(UUID key, UUID account) {
    return live(key, account)
        .orElseThrow(() -> new IllegalStateException("no live placement of key " + key));
  }

  /** All placements that some keys ever had. */
  public List<PlacementRow> everOfKeys(Collection<UUID> keys) {
    return keys.isEmpty() ? List.of() : list("r.keyId in :keys", Map.of("keys", keys));
  }

  /** The placements whose entry somebody else took out, which nobody settled yet. */
  public List<PlacementRow> lostOnAccounts(Collection<UUID> accounts) {
    return parts(accounts).stream()
        .flatMap(
            some ->
                list("r.lostAt is not null and r.accountId in :ids", Map.of("ids", some)).stream())
        .toList();
  }

  /** The placements of some keys that a rotation has to do with: live, lost, or over since then. */
  public List<PlacementRow> concerning(Collection<UUID> keys, Instant since) {
    return keys.isEmpty()
        ? List.of()
        : list(
            "r.keyId in :keys and (r.state <> WITHDRAWN or r.lostAt is not null or r.withdrawnAt"
                + " >= :since)",
            Map.of("keys", keys, "since", since));
  }

  /** The accounts on which an absence is to be confirmed now. */
  public List<UUID> accountsToConfirm(Instant now, int most) {
    return database
        .createQuery(
            "select distinct p.accountId from PlacementRow p where p.confirmAt <= :now", UUID.class)
        .setParameter("now", now)
        .setMaxResults(most)
        .getResultList();
  }

  /** Puts the confirming readings of an account off, which could not be made now. */
  public void confirmLater(UUID account, Instant at) {
    database
        .createQuery(
            "update PlacementRow p set p.confirmAt = :at where p.accountId = :account and"
                + " p.confirmAt is not null")
        .setParameter("at", at)
        .setParameter("account", account)
        .executeUpdate();
  }

  /** Whether a running rotation is about to withdraw a key from everywhere. */
  public boolean isLeaving(UUID key) {
    return !leaving(List.of(key)).isEmpty();
  }

  /** Of some keys those that a running rotation is about to withdraw from everywhere. */
  public Set<UUID> leaving(Collection<UUID> keys) {
    return keys.isEmpty()
        ? Set.of()
        : Set.copyOf(
            database
                .createQuery(
                    "select k.id from KeyRow k, RotationRow r where k.id in :keys and r.endedAt is"
                        + " null and (r.direction = RUNNING and r.oldKeyId = k.id or r.direction = ROLLING_BACK and"
                        + " r.newKeyId = k.id)",
                    UUID.class)
                .setParameter("keys", keys)
                .getResultList());
  }

  /** When the next reading is due that looks again or confirms an absence. */
  public Optional<Instant> nextSecondLook() {
    return database
        .createQuery(
            "select least(min(p.lookAgainAt), min(p.confirmAt)) from PlacementRow p where"
                + " p.lookAgainAt is not null or p.confirmAt is not null",
            Instant.class)
        .getResultStream()
        .filter(Objects::nonNull)
        .findFirst();
  }

  /** The placements whose writing is to be looked at again now. */
  public List<PlacementRow> toLookAgain(Instant now, int most) {
    return database
        .createQuery(
            "from PlacementRow p where p.lookAgainAt <= :now order by p.lookAgainAt",
            PlacementRow.class)
        .setParameter("now", now)
        .setMaxResults(most)
        .getResultList();
  }

  /** Whether a rotation is still on its way. */
  public boolean isRotating(UUID rotation) {
    return database
            .createQuery(
                "select count(r) from RotationRow r where r.id = :id and r.endedAt is null",
                Long.class)
            .setParameter("id", rotation)
            .getSingleResult()
        > 0;
  }

  /** The marks of the placements on some accounts that were withdrawn. */
  public Map<UUID, Set<String>> formerMarks(Collection<UUID> accounts) {
    Map<UUID, Set<String>> marks = new HashMap<>();
    if (!accounts.isEmpty()) {
      list("r.state = WITHDRAWN and r.accountId in :ids", Map.of("ids", accounts))
          .forEach(p -> marks.computeIfAbsent(p.accountId, a -> new HashSet<>()).add(p.mark));
    }
    return marks;
  }

  /** A placement like another one, with an id of its own; not added yet. */
  public PlacementRow copy(PlacementRow of, UUID id) {
    PlacementRow row = new PlacementRow();
    row.id = id;
    row.keyId = of.keyId;
    row.accountId = of.accountId;
    row.title = of.title;
    row.purpose = of.purpose;
    row.access = of.access;
    row.reference = of.reference;
    row.mark = of.mark;
    row.line = of.line;
    row.sources = of.sources;
    row.endsAt = of.endsAt;
    row.options = of.options;
    row.wantedAt = of.wantedAt;
    return row;
  }

  /** Adds a trial. */
  public void addTrial(TrialRow trial) {
    database.persist(trial);
  }

  /** Tolvin's own trials of some keys on some accounts, oldest first. */
  public List<TrialRow> trials(Collection<UUID> accounts, Collection<UUID> keys) {
    return accounts.isEmpty() || keys.isEmpty()
        ? List.of()
        : database
            .createQuery(
                "from TrialRow t where t.accountId in :ids and t.keyId in :keys and t.madeBy ="
                    + " TOLVIN and t.state = SEEN order by t.madeAt",
                TrialRow.class)
            .setParameter("ids", accounts)
            .setParameter("keys", keys)
            .getResultList();
  }

  /** When Tolvin's own last trial was made that showed up in the feed of each account. */
  public Map<UUID, Instant> ownTrialsSeen(Collection<UUID> accounts) {
    Map<UUID, Instant> seen = new HashMap<>();
    for (UUID account : accounts) {
      database
          .createQuery(
              "select t.madeAt from TrialRow t where t.accountId = :id and t.seenAt is not null and"
                  + " t.madeBy = TOLVIN order by t.madeAt desc",
              Instant.class)
          .setParameter("id", account)
          .setMaxResults(1)
          .getResultStream()
          .forEach(at -> seen.put(account, at));
    }
    return seen;
  }

  /** The trials on an account by whomever, the newest first. */
  public List<TrialRow> trialsSeen(UUID account, UUID key, int most) {
    return database
        .createQuery(
            "from TrialRow t where t.state = SEEN and (:a is null or t.accountId = :a) and (:k is"
                + " null or t.keyId = :k) order by t.madeAt desc",
            TrialRow.class)
        .setParameter("a", account)
        .setParameter("k", key)
        .setMaxResults(most)
        .getResultList();
  }

  /** A trial. */
  public TrialRow trial(UUID id) {
    return Optional.ofNullable(database.find(TrialRow.class, id))
        .orElseThrow(() -> Problem.notFound("trial", String.valueOf(id)));
  }

  /** The trials that were made since a moment. */
  public List<TrialRow> trialsSince(Instant since) {
    return database
        .createQuery("from TrialRow t where t.madeAt > :s", TrialRow.class)
        .setParameter("s", since)
        .getResultList();
  }
}
