package tolvin.service.proof;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A maker of security keys whose attestations are believed. */
@Entity
@DynamicUpdate
@Table(name = "maker")
class MakerRow {
  @Id UUID id;
  String name;
  String fingerprint;
  byte[] certificate;
  Instant validFrom;
  Instant validUntil;
}
