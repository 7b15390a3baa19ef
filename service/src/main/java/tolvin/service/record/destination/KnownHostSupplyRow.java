package tolvin.service.record.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A line that the file of known hosts beside a seat is to get. */
@Entity
@DynamicUpdate
@Table(name = "known_host_supply")
public class KnownHostSupplyRow {
  @Id public UUID id;
  public UUID destinationId;
  public UUID seatId;
  public String line;
  public Instant wantedAt;
  public Instant doneAt;
  public String reason;
}
