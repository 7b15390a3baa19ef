package tolvin.service.record.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.Query;
import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.UUID;
import org.hibernate.FlushMode;
import org.hibernate.Session;
import tolvin.api.Page;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.EffectKind;
import tolvin.service.store.RowStore;

/** Rotations, their attempts and what these reserve. */
@ApplicationScoped
public class RotationStore extends RowStore<RotationRow> {
  RotationStore() {
    super(RotationRow.class, "rotation");
  }

  public Page<RotationRow> page(UUID key, boolean ended, UUID after, int limit) {
    String condition = ended ? "true = true" : "r.endedAt is null";
    return key == null
        ? page(condition, Map.of(), after, limit)
        : page(
            condition + " and (r.oldKeyId = :key or r.newKeyId = :key)",
            Map.of("key", key),
            after,
            limit);
  }

  /** The rotations that are not over. */
  public List<RotationRow> running() {
    return list("r.endedAt is null", Map.of());
  }

  /** The rotations that came to an end after a moment. */
  public List<RotationRow> endedSince(Instant since) {
    return list("r.endedAt > :since", Map.of("since", since));
  }

  public Optional<RotationRow> runningOf(UUID key) {
    return one(
        "r.endedAt is null and (r.oldKeyId = :key or r.newKeyId = :key)", Map.of("key", key));
  }

  /** Whether a rotation of this key was rolled back or stopped after a moment. */
  public boolean wasGivenUpSince(UUID key, Instant since) {
    return one(
            "r.oldKeyId = :key and r.outcome in (ROLLED_BACK, STOPPED) and r.endedAt > :since",
            Map.of("key", key, "since", since))
        .isPresent();
  }

  /** The rotations that are on their way. */
  public List<UUID> onTheirWay() {
    return database
        .createQuery(
            "select r.id from RotationRow r where r.endedAt is null and r.direction in (RUNNING,"
                + " ROLLING_BACK)",
            UUID.class)
        .getResultList();
  }

  /**
   * Whether some rotation on its way, of a key on an account that signs in at a destination, was
   * started or did something since a moment, so that its log is worth reading often. One that waits
   * longer does so for a client that signs in seldom.
   */
  public boolean hasAnyMovedAt(UUID destination, Instant since) {
    return one(
            "r.endedAt is null and r.direction in (RUNNING, ROLLING_BACK) and (r.startedAt > :since"
                + " or exists (select a.id from AttemptRow a where a.rotationId = r.id and"
                + " a.startedAt > :since)) and exists (select p.id from PlacementRow p, AccountRow"
                + " c, DestinationRow d where (p.keyId = r.oldKeyId or p.keyId = r.newKeyId) and"
                + " p.state <> WITHDRAWN and c.id = p.accountId and d.id = c.destinationId and"
                + " coalesce(d.signsInAtId, d.id) = :destination)",
            Map.of("since", since, "destination", destination))
        .isPresent();
  }

  /** Where the accounts sign in that a key is placed on. */
  public List<UUID> signInPlaces(UUID key) {
    return database
        .createQuery(
            "select distinct coalesce(d.signsInAtId, d.id) from PlacementRow p, AccountRow c,"
                + " DestinationRow d where p.keyId = :key and p.state <> WITHDRAWN and c.id ="
                + " p.accountId and d.id = c.destinationId",
            UUID.class)
        .setParameter("key", key)
        .getResultList();
  }

  /**
   * Makes everything that this transaction reads from here on come from one moment, and changes
   * nothing: rows are not compared with what they were. Must be its first statement.
   */
  public void readOneMoment() {
    Session session = database.unwrap(Session.class);
    session.setDefaultReadOnly(true);
    session.setHibernateFlushMode(FlushMode.MANUAL);
    database.createNativeQuery("set transaction isolation level repeatable read").executeUpdate();
  }

  public void addAttempt(AttemptRow attempt) {
    database.persist(attempt);
  }

  /** Forgets an attempt that was never begun. */
  public void forgetAttempt(UUID id) {
    database.remove(attempt(id));
  }

  public AttemptRow attempt(UUID id) {
    return database.find(AttemptRow.class, id);
  }

  public List<AttemptRow> attemptsOf(UUID rotation) {
    return database
        .createQuery(
            "from AttemptRow a where a.rotationId = :id order by a.startedAt, a.id",
            AttemptRow.class)
        .setParameter("id", rotation)
        .getResultList();
  }

  public List<AttemptRow> attemptsOfPlacement(UUID placement) {
    return database
        .createQuery(
            "from AttemptRow a where a.placementId = :id order by a.startedAt, a.id",
            AttemptRow.class)
        .setParameter("id", placement)
        .getResultList();
  }

  /** The last sign-in that was tried for a placement outside rotations and has ended. */
  public Optional<AttemptRow> lastTrial(UUID placement) {
    return attemptsOfPlacement(placement).stream()
        .filter(a -> a.kind == EffectKind.PROVE && a.outcome != Attempt.Outcome.RUNNING)
        .reduce((a, b) -> b);
  }

  /**
   * The attempts of a rotation that the next move is decided from: all but the older ones of its
   * readings that succeeded.
   */
  public List<Attempt> history(UUID rotation) {
    return database
        .createQuery(
            "from AttemptRow a where a.rotationId = :id and (a.changes = true or a.outcome <> DONE"
                + " or a.kind <> LOOK or a.startedAt = (select max(b.startedAt) from AttemptRow b"
                + " where b.rotationId = :id and b.kind = LOOK and (b.accountId = a.accountId or"
                + " b.seatId = a.seatId))) order by a.startedAt, a.id",
            AttemptRow.class)
        .setParameter("id", rotation)
        .getResultStream()
        .map(a -> new Attempt(a.effect(), a.startedAt, a.outcome, a.reason))
        .toList();
  }

  /** Whether an attempt is still its worker's: nobody took it over. Locks it. */
  public boolean isRunning(UUID attempt) {
    return database
        .createNativeQuery(
            "select 1 from attempt where id = :id and outcome = 'RUNNING' for update")
        .setParameter("id", attempt)
        .getResultStream()
        .findFirst()
        .isPresent();
  }

  /**
   * What an earlier worker left running is nobody's any more: its outcome is unknown. A change
   * among it keeps its reservation until it cannot land any more.
   *
   * @return the changes, which are to be settled
   */
  public List<UUID> abandon(UUID rotation, UUID placement, Instant now) {
    return abandon(
        "(rotation_id = cast(:rotation as uuid) or placement_id = cast(:placement as uuid))",
        Map.of(
            "rotation",
            String.valueOf(rotation == null ? NOBODY : rotation),
            "placement",
            String.valueOf(placement == null ? NOBODY : placement)),
        now);
  }

  /** Likewise for whatever nobody came back to, whosever it was. */
  public List<UUID> abandonOverdue(Instant now) {
    return abandon("lease_until < :due", Map.of("due", now), now);
  }

  private List<UUID> abandon(String which, Map<String, Object> values, Instant now) {
    Query released =
        database.createNativeQuery(
            "delete from reservation where attempt_id in (select id from attempt where outcome ="
                + " 'RUNNING' and not changes and "
                + which
                + ")");
    values.forEach(released::setParameter);
    released.executeUpdate();
    Query abandoned =
        database.createNativeQuery(
            "update attempt set outcome = 'UNKNOWN', ended_at = :now, reason = 'the worker did not"
                + " come back', unsettled = changes, settle_at = case when changes then cast(:now as"
                + " timestamptz) end where outcome = 'RUNNING' and "
                + which
                + " returning id, changes");
    values.forEach(abandoned::setParameter);
    List<?> found = abandoned.setParameter("now", now).getResultList();
    return found.stream()
        .map(Object[].class::cast)
        .filter(row -> (Boolean) row[1])
        .map(row -> (UUID) row[0])
        .toList();
  }

  /**
   * Reserves an account or a seat for one attempt; false if another one holds it. One that changes
   * something holds it until it ended or cannot land any more, however long that takes.
   */
  public boolean reserve(UUID resource, UUID attempt, boolean changes, Instant now, Instant until) {
    return database
            .createNativeQuery(
                "insert into reservation (resource, attempt_id, lease_until) values (:r, :a, case"
                    + " when :changes then 'infinity' else cast(:until as timestamptz) end) on"
                    + " conflict (resource) do update set attempt_id = excluded.attempt_id,"
                    + " lease_until = excluded.lease_until where reservation.lease_until < :now")
            .setParameter("r", resource)
            .setParameter("a", attempt)
            .setParameter("changes", changes)
            .setParameter("until", until)
            .setParameter("now", now)
            .executeUpdate()
        == 1;
  }

  public void release(UUID attempt) {
    database
        .createNativeQuery("delete from reservation where attempt_id = :a")
        .setParameter("a", attempt)
        .executeUpdate();
  }

  /** Whether some attempt is at an account or a seat, or left something there to be settled. */
  public boolean isBeingChanged(UUID resource) {
    return !database
        .createNativeQuery(
            "select 1 from reservation where resource = :r union all select 1 from attempt where"
                + " settle_at is not null and coalesce(account_id, seat_id) = :r limit 1")
        .setParameter("r", resource)
        .getResultList()
        .isEmpty();
  }

  /** Whether one of some keys is in a rotation that is not over. */
  public boolean isRotating(Collection<String> fingerprints) {
    return !fingerprints.isEmpty()
        && database
                .createQuery(
                    "select count(r) from RotationRow r where r.endedAt is null and exists (select"
                        + " k.id from KeyRow k where k.fingerprint in :keys and (k.id = r.oldKeyId"
                        + " or k.id = r.newKeyId))",
                    Long.class)
                .setParameter("keys", fingerprints)
                .getSingleResult()
            > 0;
  }

  /** Of some accounts and seats those on which a change may still land, and since when. */
  public Map<UUID, Instant> unsettled(Collection<UUID> resources) {
    Map<UUID, Instant> since = new HashMap<>();
    if (!resources.isEmpty()) {
      database
          .createQuery(
              "select coalesce(a.accountId, a.seatId), min(a.startedAt) from AttemptRow a where"
                  + " a.unsettled = true and coalesce(a.accountId, a.seatId) in :ids group by"
                  + " coalesce(a.accountId, a.seatId)",
              Object[].class)
          .setParameter("ids", resources)
          .getResultList()
          .forEach(a -> since.put((UUID) a[0], (Instant) a[1]));
    }
    return since;
  }

  /** How many changes may still land, and since when the oldest. */
  public List<AttemptRow> unsettled() {
    return database
        .createQuery(
            "from AttemptRow a where a.unsettled = true order by a.startedAt", AttemptRow.class)
        .setMaxResults(100)
        .getResultList();
  }

  /** When the oldest effect was begun that still runs. */
  public Optional<Instant> oldestRunning() {
    return database
        .createQuery(
            "select min(a.startedAt) from AttemptRow a where a.outcome = RUNNING", Instant.class)
        .getResultStream()
        .filter(Objects::nonNull)
        .findFirst();
  }

  /**
   * How often the keys of one line, each replaced by the next, were rotated lately.
   *
   * @param byItself how often the calendar began it
   * @param all how often in all
   */
  public record Begun(long byItself, long all) {}

  /** How often rotations of a key, or of those that it replaced, were begun since a moment. */
  public Begun begunSince(UUID key, Instant since) {
    Object[] counts =
        (Object[])
            database
                .createNativeQuery(
                    "with recursive line(id) as (select cast(:key as uuid) union select"
                        + " r.old_key_id from rotation r join line l on r.new_key_id = l.id where"
                        + " r.planned_at > :since) select count(*) filter (where r.by_itself),"
                        + " count(*) from rotation r join line l on r.old_key_id = l.id where"
                        + " r.started_at > :since")
                .setParameter("key", key)
                .setParameter("since", since)
                .getSingleResult();
    return new Begun(((Number) counts[0]).longValue(), ((Number) counts[1]).longValue());
  }

  /** The keys on some accounts that other running rotations are going to withdraw. */
  public List<String> promised(UUID rotation, Collection<UUID> accounts) {
    return accounts.isEmpty()
        ? List.of()
        : database
            .createQuery(
                "select k.fingerprint from RotationRow r, KeyRow k where r.endedAt is null and r.id"
                    + " <> :id and (r.direction = RUNNING and k.id = r.oldKeyId or r.direction = ROLLING_BACK and"
                    + " k.id = r.newKeyId) and k.id in (select p.keyId from PlacementRow p where"
                    + " p.accountId in :accounts and p.state <> WITHDRAWN)",
                String.class)
            .setParameter("id", rotation == null ? NOBODY : rotation)
            .setParameter("accounts", accounts)
            .getResultList();
  }

  /** The rotations on their way whose keys stand on some accounts. */
  public List<UUID> onTheirWayAt(Collection<UUID> accounts) {
    return accounts.isEmpty()
        ? List.of()
        : database
            .createQuery(
                "select r.id from RotationRow r where r.endedAt is null and r.direction in"
                    + " (RUNNING, ROLLING_BACK) and exists (select p.id from PlacementRow p where"
                    + " p.state <> WITHDRAWN and p.accountId in :accounts and (p.keyId = r.oldKeyId"
                    + " or p.keyId = r.newKeyId))",
                UUID.class)
            .setParameter("accounts", accounts)
            .getResultList();
  }
}
