package tolvin.service.rotation;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;
import tolvin.service.web.Page;

/** Rotations, their attempts and what these reserve. */
@ApplicationScoped
public class RotationStore extends RowStore<RotationRow> {
  RotationStore() {
    super(RotationRow.class, "rotation");
  }

  Page<RotationRow> page(UUID key, boolean ended, UUID after, int limit) {
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

  Optional<RotationRow> runningOf(UUID key) {
    return one(
        "r.endedAt is null and (r.oldKeyId = :key or r.newKeyId = :key)", Map.of("key", key));
  }

  /** Whether a rotation of this key was put back or stopped after a moment. */
  boolean wasGivenUpSince(UUID key, Instant since) {
    return one(
            "r.oldKeyId = :key and r.outcome in ('put back', 'stopped') and r.endedAt > :since",
            Map.of("key", key, "since", since))
        .isPresent();
  }

  /** A rotation that is due to be looked at and that nobody else works on; leased. */
  Optional<RotationRow> claim(Instant now, Instant leaseUntil, String worker) {
    List<?> ids =
        database
            .createNativeQuery(
                "select id from rotation where ended_at is null and next_look_at <= :now and"
                    + " (lease_until is null or lease_until < :now) order by next_look_at limit 1"
                    + " for update skip locked")
            .setParameter("now", now)
            .getResultList();
    Optional<RotationRow> row = ids.isEmpty() ? Optional.empty() : find((UUID) ids.get(0));
    row.ifPresent(
        rotation -> {
          rotation.leaseOwner = worker;
          rotation.leaseUntil = leaseUntil;
        });
    return row;
  }

  /** Lets all rotations that wait be looked at now, since there is news. */
  public void wakeAll(Instant now) {
    database
        .createQuery(
            "update RotationRow r set r.nextLookAt = :now, r.wokenAt = :now where r.endedAt is"
                + " null and r.aim in ('FORWARD', 'BACK')")
        .setParameter("now", now)
        .executeUpdate();
  }

  /** Whether some rotation is on its way, so that feeds are worth reading often. */
  public boolean isAnyOnItsWay() {
    return one("r.endedAt is null and r.aim in ('FORWARD', 'BACK')", Map.of()).isPresent();
  }

  /**
   * Makes everything that this transaction reads from here on come from one moment. Must be its
   * first statement.
   */
  void readOneMoment() {
    database.createNativeQuery("set transaction isolation level repeatable read").executeUpdate();
  }

  void addAttempt(AttemptRow attempt) {
    database.persist(attempt);
  }

  AttemptRow attempt(UUID id) {
    return database.find(AttemptRow.class, id);
  }

  List<AttemptRow> attemptsOf(UUID rotation) {
    return database
        .createQuery(
            "from AttemptRow a where a.rotationId = :id order by a.startedAt, a.id",
            AttemptRow.class)
        .setParameter("id", rotation)
        .getResultList();
  }

  List<AttemptRow> attemptsOfPlacement(UUID placement) {
    return database
        .createQuery(
            "from AttemptRow a where a.placementId = :id order by a.startedAt, a.id",
            AttemptRow.class)
        .setParameter("id", placement)
        .getResultList();
  }

  /** What an earlier worker left running is nobody's any more: its outcome is unknown. */
  void abandon(UUID rotation, UUID placement, Instant now) {
    database
        .createNativeQuery(
            "delete from reservation where attempt_id in (select id from attempt where outcome ="
                + " 'RUNNING' and (rotation_id = cast(:rotation as uuid) or placement_id ="
                + " cast(:placement as uuid)))")
        .setParameter("rotation", String.valueOf(rotation == null ? NOBODY : rotation))
        .setParameter("placement", String.valueOf(placement == null ? NOBODY : placement))
        .executeUpdate();
    database
        .createQuery(
            "update AttemptRow a set a.outcome = 'UNKNOWN', a.endedAt = :now, a.reason = 'the worker"
                + " did not come back' where a.outcome = 'RUNNING' and (a.rotationId = :rotation or"
                + " a.placementId = :placement)")
        .setParameter("now", now)
        .setParameter("rotation", rotation)
        .setParameter("placement", placement)
        .executeUpdate();
  }

  /** Reserves an account or a seat for one attempt; false if another one holds it. */
  boolean reserve(UUID resource, UUID attempt, Instant now, Instant until) {
    return database
            .createNativeQuery(
                "insert into reservation (resource, attempt_id, lease_until) values (:r, :a,"
                    + " :until) on conflict (resource) do update set attempt_id = :a, lease_until ="
                    + " :until where reservation.lease_until < :now")
            .setParameter("r", resource)
            .setParameter("a", attempt)
            .setParameter("until", until)
            .setParameter("now", now)
            .executeUpdate()
        == 1;
  }

  void release(UUID attempt) {
    database
        .createNativeQuery("delete from reservation where attempt_id = :a")
        .setParameter("a", attempt)
        .executeUpdate();
  }
}
