package tolvin.service.record.rotation;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.EffectId;
import tolvin.core.rotation.EffectKind;

/** One effect that was tried: what was intended, what was there before, how it ended. */
@Entity
@DynamicUpdate
@Table(name = "attempt")
public class AttemptRow {
  @Id public UUID id;
  public UUID rotationId;
  public UUID placementId;

  @Enumerated(EnumType.STRING)
  public EffectKind kind;

  public UUID accountId;
  public UUID seatId;

  /** The tie that a seat was to prove; empty otherwise. */
  public UUID tieId;

  /** The fingerprint of the key that it was about; empty if it was about all of a place. */
  public String key;

  public String intent;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> stateBefore;

  public String worker;
  public Instant leaseUntil;
  public Instant startedAt;
  public Instant endedAt;

  @Enumerated(EnumType.STRING)
  public Attempt.Outcome outcome;

  public String reason;

  /** Whether it was to change something outside. */
  public boolean changes;

  /** Which effect it was. */
  public EffectId effect() {
    UUID place = accountId == null ? seatId : accountId;
    return new StoredEffect(kind, tieId == null ? place : tieId, key).id();
  }

  /** Whether it may still land. */
  public boolean unsettled;

  /** When to look after what it may have left; empty if nothing is left. */
  public Instant settleAt;
}
