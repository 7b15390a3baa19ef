package tolvin.service.placement;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;

/** One key on one account. */
@Entity
@Table(name = "placement")
public class PlacementRow {
  @Id public UUID id;
  public UUID keyId;
  public UUID accountId;
  public UUID rotationId;
  public String state;
  public String reason;
  public String title;
  public String purpose;
  public String mark;
  public String line;
  public Instant wantedAt;
  public Instant placedAt;
  public Instant provenAt;
  public Instant withdrawnAt;
  public Instant nextLookAt;
  public Instant leaseUntil;
}
