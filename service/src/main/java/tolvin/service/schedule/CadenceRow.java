package tolvin.service.schedule;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;

/** How often the keys of some identities change. */
@Entity
@Table(name = "cadence_rule")
public class CadenceRow {
  @Id public UUID id;
  public int number;
  public String name;
  public String identityKind;
  public UUID identityId;
  public long everySeconds;
  public long leadSeconds;
  public long watchSeconds;
  public Instant validFrom;
  public Instant validUntil;
}
