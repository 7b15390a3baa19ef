package tolvin.service.coffer;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** One ciphertext. */
@Entity
@DynamicUpdate
@Table(name = "coffer_entry")
class CofferRow {
  @Id UUID id;
  String purpose;
  UUID subjectId;
  byte[] ciphertext;
  Instant createdAt;
  Instant destroyedAt;
}
