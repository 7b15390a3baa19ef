package tolvin.service.record.command;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A command that may be run on hosts. */
@Entity
@DynamicUpdate
@Table(name = "host_command")
public class HostCommandRow {
  @Id public UUID id;

  /** Word by word. */
  public String command;

  public String reason;

  /** A login. */
  public String approvedBy;

  public Instant approvedAt;

  /** Absent while it may be run. */
  public Instant validUntil;
}
