package tolvin.service.record.rulebook;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.persistence.EntityManager;
import java.time.Instant;
import java.util.List;
import java.util.Optional;

/** The versions of the rulebook. */
@ApplicationScoped
public class RulebookStore {
  private final EntityManager database;

  RulebookStore(EntityManager database) {
    this.database = database;
  }

  /**
   * A cadence as it was kept before there was a rulebook.
   *
   * @param identity the identity's name, or null
   */
  public record FormerCadence(
      int number,
      String name,
      String identityKind,
      String identity,
      long every,
      long lead,
      long watch) {}

  public Optional<Integer> numberInForce() {
    return database
        .createQuery("select r.number from RulebookRow r where r.validUntil is null", Integer.class)
        .getResultStream()
        .findFirst();
  }

  public Optional<RulebookRow> find(int number) {
    return Optional.ofNullable(database.find(RulebookRow.class, number));
  }

  public List<RulebookRow> all() {
    return database
        .createQuery("from RulebookRow r order by r.number desc", RulebookRow.class)
        .getResultList();
  }

  /** Waits until no other save runs. */
  public void lock() {
    database.createNativeQuery("lock table rulebook in exclusive mode").executeUpdate();
  }

  /** Ends the version in force, if there is one, and puts another into force. */
  public void replace(RulebookRow row, Instant now) {
    database
        .createQuery("update RulebookRow r set r.validUntil = :now where r.validUntil is null")
        .setParameter("now", now)
        .executeUpdate();
    database.persist(row);
    database.flush();
  }

  public List<FormerCadence> formerCadences() {
    @SuppressWarnings("unchecked")
    List<Object[]> rows =
        database
            .createNativeQuery(
                "select c.number, c.name, c.identity_kind, i.name as identity, c.every_seconds,"
                    + " c.lead_seconds, c.watch_seconds from cadence_rule c left join identity i on"
                    + " i.id = c.identity_id where c.valid_until is null order by c.number")
            .getResultList();
    return rows.stream()
        .map(
            r ->
                new FormerCadence(
                    ((Number) r[0]).intValue(),
                    (String) r[1],
                    (String) r[2],
                    (String) r[3],
                    ((Number) r[4]).longValue(),
                    ((Number) r[5]).longValue(),
                    ((Number) r[6]).longValue()))
        .toList();
  }
}
