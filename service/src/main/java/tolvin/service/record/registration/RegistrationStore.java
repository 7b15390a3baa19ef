package tolvin.service.record.registration;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.Collection;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.Page;
import tolvin.core.registration.Course;
import tolvin.core.registration.LineState;
import tolvin.service.store.RowStore;

/** Registrations of many keys, and their lines. */
@ApplicationScoped
public class RegistrationStore extends RowStore<RegistrationRow> {
  RegistrationStore() {
    super(RegistrationRow.class, "registration");
  }

  /** Registrations, the newest first. */
  public Page<RegistrationRow> page(boolean ended, UUID after, int limit) {
    return page(ended ? "true = true" : "r.endedAt is null", Map.of(), after, limit);
  }

  /** Adds a line. */
  public void addLine(RegistrationLineRow line) {
    database.persist(line);
  }

  /** A line. */
  public RegistrationLineRow line(UUID id) {
    return Optional.ofNullable(database.find(RegistrationLineRow.class, id))
        .orElseThrow(() -> new IllegalStateException("no line " + id));
  }

  /** Its lines in their order. */
  public List<RegistrationLineRow> lines(UUID registration, LineState state) {
    return database
        .createQuery(
            "from RegistrationLineRow l where l.registrationId = :id and l.state = :state order by"
                + " l.number",
            RegistrationLineRow.class)
        .setParameter("id", registration)
        .setParameter("state", state)
        .getResultList();
  }

  /**
   * A page of its lines in their order.
   *
   * @param state only those; null for all
   * @param after behind which number
   */
  public List<RegistrationLineRow> lines(UUID registration, LineState state, int after, int limit) {
    return database
        .createQuery(
            "from RegistrationLineRow l where l.registrationId = :id and l.number > :after and"
                + " (:state is null or l.state = :state) order by l.number",
            RegistrationLineRow.class)
        .setParameter("id", registration)
        .setParameter("after", after)
        .setParameter("state", state)
        .setMaxResults(Math.max(1, Math.min(limit, MOST)))
        .getResultList();
  }

  /** All of its lines as far as it matters for how it goes on. */
  public List<Course.Line> course(UUID registration) {
    return database
        .createQuery(
            "select l.id, l.destinationId, l.byHand, l.state from RegistrationLineRow l where"
                + " l.registrationId = :id order by l.number",
            Object[].class)
        .setParameter("id", registration)
        .getResultStream()
        .map(of -> new Course.Line((UUID) of[0], (UUID) of[1], (boolean) of[2], (LineState) of[3]))
        .toList();
  }

  /** How many lines of each registration are in each state; a state without any is left out. */
  public Map<UUID, Map<LineState, Long>> counts(Collection<UUID> registrations) {
    Map<UUID, Map<LineState, Long>> counts = new HashMap<>();
    if (!registrations.isEmpty()) {
      database
          .createQuery(
              "select l.registrationId, l.state, count(l) from RegistrationLineRow l where"
                  + " l.registrationId in :ids group by l.registrationId, l.state",
              Object[].class)
          .setParameter("ids", registrations)
          .getResultStream()
          .forEach(
              of ->
                  counts
                      .computeIfAbsent((UUID) of[0], id -> new EnumMap<>(LineState.class))
                      .put((LineState) of[1], (Long) of[2]));
    }
    return counts;
  }

  /** Cancels the lines whose turn has not come. */
  public int cancelWaiting(UUID registration, Instant now) {
    return database
        .createQuery(
            "update RegistrationLineRow l set l.state = CANCELLED, l.changedAt = :now where"
                + " l.registrationId = :id and l.state = WAITING")
        .setParameter("now", now)
        .setParameter("id", registration)
        .executeUpdate();
  }

  /** Those that are not over and wait for a person. */
  public List<RegistrationRow> stopped() {
    return list("r.endedAt is null and r.state = STOPPED", Map.of());
  }
}
