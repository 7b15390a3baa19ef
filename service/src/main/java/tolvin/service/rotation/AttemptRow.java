package tolvin.service.rotation;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** One effect that was tried: what was intended, what was there before, how it ended. */
@Entity
@DynamicUpdate
@Table(name = "attempt")
public class AttemptRow {
  @Id public UUID id;
  public UUID rotationId;
  public UUID placementId;
  public String effect;
  public UUID accountId;
  public UUID seatId;
  public String intent;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> stateBefore;

  public String worker;
  public Instant leaseUntil;
  public Instant startedAt;
  public Instant endedAt;
  public String outcome;
  public String reason;

  /** Whether it was to change something outside. */
  public boolean changes;

  /** Whether it may still land. */
  public boolean unsettled;

  /** When to look after what it may have left; empty if nothing is left. */
  public Instant settleAt;
}
