package tolvin.service.record.proof;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A trust anchor for attestations: the certificate of a maker of security keys. */
@Entity
@DynamicUpdate
@Table(name = "trust_anchor")
public class TrustAnchorRow {
  @Id public UUID id;
  public String name;
  public String fingerprint;
  public byte[] certificate;
  public Instant validFrom;
  public Instant validUntil;
}
