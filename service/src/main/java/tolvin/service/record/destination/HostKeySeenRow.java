package tolvin.service.record.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A host key that a destination showed; that alone makes nobody trust it. */
@Entity
@DynamicUpdate
@Table(name = "host_key_seen")
public class HostKeySeenRow {
  @Id public UUID id;
  public UUID destinationId;
  public String fingerprint;
  public byte[] blob;
  public Instant firstSeenAt;
  public Instant seenAt;
}
