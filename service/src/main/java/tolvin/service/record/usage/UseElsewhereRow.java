package tolvin.service.record.usage;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** The uses of a key on an account that nobody knew. */
@Entity
@DynamicUpdate
@Table(name = "use_elsewhere")
public class UseElsewhereRow {
  @Id public UUID id;
  public UUID destinationId;
  public String login;
  public String fingerprint;
  public String address;
  public Instant firstAt;
  public Instant latest;
  public long count;
}
