package tolvin.service.record.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A host key that a destination may show. */
@Entity
@DynamicUpdate
@Table(name = "host_key")
public class HostKeyRow {
  @Id public UUID id;
  public UUID destinationId;
  public String fingerprint;
  public byte[] blob;

  /** Until when it is accepted, once its successor was announced. */
  public Instant acceptedUntil;

  /** When it was announced; absent if it was compared as it is now. */
  public Instant announcedAt;

  public Instant validFrom;
  public Instant validUntil;
}
