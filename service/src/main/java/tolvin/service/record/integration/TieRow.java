package tolvin.service.record.integration;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** One seat signing in to one account. */
@Entity
@DynamicUpdate
@Table(name = "tie")
public class TieRow {
  @Id public UUID id;
  public UUID seatId;
  public UUID accountId;
  public long expectedIntervalSeconds;
  public long longestSessionSeconds;
  public Instant validFrom;
  public Instant validUntil;
}
