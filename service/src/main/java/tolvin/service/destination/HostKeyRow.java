package tolvin.service.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;

/** A host key that a destination may show. */
@Entity
@Table(name = "host_key")
public class HostKeyRow {
  @Id public UUID id;
  public UUID destinationId;
  public String fingerprint;
  public byte[] blob;
  public Instant validFrom;
  public Instant validUntil;
}
