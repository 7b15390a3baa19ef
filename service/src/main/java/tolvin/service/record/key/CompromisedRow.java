package tolvin.service.record.key;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A list of compromised keys. */
@Entity
@DynamicUpdate
@Table(name = "compromised_list")
public class CompromisedRow {
  @Id public UUID id;
  public String name;
  public long entries;
  public Instant loadedAt;
  public Instant validUntil;
}
