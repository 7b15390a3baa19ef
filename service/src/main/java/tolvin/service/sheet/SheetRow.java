package tolvin.service.sheet;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** One version of a system sheet, as somebody wrote it. */
@Entity
@DynamicUpdate
@Table(name = "system_sheet")
public class SheetRow {
  @Id public UUID id;
  public String system;
  public String family;
  public String text;
  public String reason;
  public String savedBy;
  public Instant validFrom;
  public Instant validUntil;
}
