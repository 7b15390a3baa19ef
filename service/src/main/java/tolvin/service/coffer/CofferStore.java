package tolvin.service.coffer;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.LockModeType;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.ClockStore;
import tolvin.service.store.RowStore;

/** The coffer's rows. */
@ApplicationScoped
class CofferStore extends RowStore<CofferRow> {
  /** The purpose of the entry that shows whether the coffer opens. */
  static final String CANARY = "canary";

  /** Any number will do, as long as it is always the same. */
  private static final long MAKER_LOCK = 0x746f6c636f66L;

  CofferStore() {
    super(CofferRow.class, "coffer entry");
  }

  Optional<CofferRow> of(String purpose, UUID subject) {
    return one(
        "r.purpose = :purpose and r.subjectId = :subject",
        Map.of("purpose", purpose, "subject", subject));
  }

  List<UUID> subjects(String purpose) {
    return database
        .createQuery(
            "select r.subjectId from CofferRow r where r.purpose = :purpose"
                + " and r.destroyedAt is null",
            UUID.class)
        .setParameter("purpose", purpose)
        .getResultList();
  }

  boolean isEmpty() {
    return count("true = true", Map.of()) == 0;
  }

  /** The entry that shows whether the coffer opens, as it is in the database now. */
  Optional<CofferRow> canary() {
    Optional<CofferRow> canary = one("r.purpose = :purpose", Map.of("purpose", CANARY));
    canary.ifPresent(database::refresh);
    return canary;
  }

  /** When the canary was written, which stays so until this transaction ends. */
  Instant holdCanary() {
    return ClockStore.instant(
        database
            .createNativeQuery(
                "select "
                    + ClockStore.micros("created_at")
                    + " from coffer_entry where purpose = :purpose for share")
            .setParameter("purpose", CANARY)
            .getSingleResult());
  }

  /** Adds an entry, unless another instance was there first. */
  void addOnce(CofferRow row) {
    database
        .createNativeQuery(
            "insert into coffer_entry (id, purpose, subject_id, ciphertext, created_at) values"
                + " (:id, :purpose, :subject, :ciphertext, :at) on conflict do nothing")
        .setParameter("id", row.id)
        .setParameter("purpose", row.purpose)
        .setParameter("subject", row.subjectId)
        .setParameter("ciphertext", row.ciphertext)
        .setParameter("at", row.createdAt)
        .executeUpdate();
  }

  /** Waits until no other transaction makes a secret of the installation. */
  void oneMakerAtATime() {
    database
        .createNativeQuery("select cast(pg_advisory_xact_lock(:lock) as text)")
        .setParameter("lock", MAKER_LOCK)
        .getSingleResult();
  }

  /** Any entry that can be opened. */
  Optional<CofferRow> any() {
    return one("r.destroyedAt is null", Map.of());
  }

  /** The next entries that can be opened, locked. */
  List<CofferRow> lockKept(UUID after, int most) {
    return query("r.destroyedAt is null and r.id > :after", Map.of("after", after), "r.id")
        .setMaxResults(most)
        .setLockMode(LockModeType.PESSIMISTIC_WRITE)
        .getResultList();
  }

  /** Sends what was changed, and forgets it. */
  void letGo() {
    database.flush();
    database.clear();
  }
}
