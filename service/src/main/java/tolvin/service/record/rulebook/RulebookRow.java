package tolvin.service.record.rulebook;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;

/** One version of the rulebook. */
@Entity
@DynamicUpdate
@Table(name = "rulebook")
public class RulebookRow {
  @Id public int number;
  public String text;
  public String reason;
  public String ticket;
  public String savedBy;
  public Instant validFrom;
  public Instant validUntil;
}
