package tolvin.service.record.proof;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** The last counter that a security key showed for a key. */
@Entity
@DynamicUpdate
@Table(name = "key_counter")
public class CounterRow {
  @Id public UUID keyId;
  public long counter;
  public Instant seenAt;
  public Instant wentBackAt;
  public Long wentBackTo;
}
