package tolvin.service.proof;

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
class TrustAnchorRow {
  @Id UUID id;
  String name;
  String fingerprint;
  byte[] certificate;
  Instant validFrom;
  Instant validUntil;
}
