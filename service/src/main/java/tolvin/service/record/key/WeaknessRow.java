package tolvin.service.record.key;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.weak.Weakness;

/** What speaks against a key's numbers. */
@Entity
@DynamicUpdate
@Table(name = "key_weakness")
public class WeaknessRow {
  @Id public UUID id;
  public UUID keyId;

  @Enumerated(EnumType.STRING)
  public Weakness.Kind kind;

  public String detail;
  public Instant foundAt;
}
