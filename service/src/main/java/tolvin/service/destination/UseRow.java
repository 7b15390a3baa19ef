package tolvin.service.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** The uses of a key on an account from an address. */
@Entity
@DynamicUpdate
@Table(name = "use_seen")
public class UseRow {
  @Id public UUID id;
  public UUID accountId;
  public String fingerprint;
  public String address;
  public Instant firstAt;
  public Instant earliest;
  public Instant latest;
  public long count;

  /** The longest silence between two uses, in seconds. */
  public long longestGapSeconds;

  /** The longest that a connection lasted, in seconds. */
  public long longestRunSeconds;

  /** When its client was last seen to go on with this key after another one was refused. */
  public Instant fellBackAt;
}
