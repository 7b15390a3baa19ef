package tolvin.service.record.sheet;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.estate.Family;

/** One version of a system sheet, as somebody wrote it. */
@Entity
@DynamicUpdate
@Table(name = "system_sheet")
public class SheetRow {
  @Id public UUID id;
  public String system;

  @Enumerated(EnumType.STRING)
  public Family family;

  public String text;
  public String reason;
  public String savedBy;
  public Instant validFrom;
  public Instant validUntil;
}
