package tolvin.service.coffer;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.service.store.RowStore;

/** The coffer's rows. */
@ApplicationScoped
class CofferStore extends RowStore<CofferRow> {
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
    return database.createQuery("select count(r) from CofferRow r", Long.class).getSingleResult()
        == 0;
  }
}
