package tolvin.service.record.proof;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import tolvin.service.store.RowStore;

/** Challenges. */
@ApplicationScoped
public class ChallengeStore extends RowStore<ChallengeRow> {
  ChallengeStore() {
    super(ChallengeRow.class, "challenge");
  }

  /** The newest challenges since a time, but one. */
  public List<ChallengeRow> others(UUID but, Instant since, int most) {
    return database
        .createQuery(
            "from ChallengeRow c where c.issuedAt > :since and c.id <> :but order by c.issuedAt"
                + " desc",
            ChallengeRow.class)
        .setParameter("since", since)
        .setParameter("but", but)
        .setMaxResults(most)
        .getResultList();
  }
}
