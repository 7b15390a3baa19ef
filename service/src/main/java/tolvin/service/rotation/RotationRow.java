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

/** One old key replaced by one new key. */
@Entity
@DynamicUpdate
@Table(name = "rotation")
public class RotationRow {
  @Id public UUID id;
  public UUID oldKeyId;
  public UUID newKeyId;
  public String aim;
  public String stage;
  public long watchSeconds;
  public String reason;
  public String ticket;
  public boolean byItself;
  public Instant plannedAt;
  public Instant startedAt;
  public Instant endedAt;
  public String outcome;
  public String waitingFor;
  public boolean needsPerson;
  public String question;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> approved;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> accepted;

  public Instant nextLookAt;
  public Instant wokenAt;
  public String leaseOwner;
  public Instant leaseUntil;
}
