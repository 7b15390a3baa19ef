package tolvin.service.record.schedule;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A span in which nothing may be changed. */
@Entity
@DynamicUpdate
@Table(name = "freeze_span")
public class FreezeRow {
  @Id public UUID id;
  public Instant fromAt;
  public Instant untilAt;
  public String reason;
  public Instant validFrom;
  public Instant validUntil;
}
