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
import tolvin.core.rotation.Direction;
import tolvin.core.rotation.Outcome;
import tolvin.core.rotation.Stage;

/** One old key replaced by one new key. */
@Entity
@DynamicUpdate
@Table(name = "rotation")
public class RotationRow {
  @Id public UUID id;
  public UUID oldKeyId;
  public UUID newKeyId;

  @Enumerated(EnumType.STRING)
  public Direction direction;

  @Enumerated(EnumType.STRING)
  public Stage stage;

  public long watchSeconds;
  public String reason;
  public String ticket;
  public boolean byItself;
  public Instant plannedAt;
  public Instant startedAt;
  public Instant endedAt;

  @Enumerated(EnumType.STRING)
  public Outcome outcome;

  /** Why it was stopped or rolled back; null if it was not. */
  public String turnedBecause;

  public String waitingFor;
  public boolean needsPerson;

  @JdbcTypeCode(SqlTypes.JSON)
  public StoredQuestion question;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<StoredEffect> approved;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<StoredQuestion> accepted;
}
