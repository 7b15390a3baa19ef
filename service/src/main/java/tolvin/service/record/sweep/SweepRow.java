package tolvin.service.record.sweep;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.sweep.SweepState;

/** One reading of a destination's accounts, or of all. */
@Entity
@DynamicUpdate
@Table(name = "sweep")
public class SweepRow {
  @Id public UUID id;

  /** Absent for all destinations. */
  public UUID destinationId;

  @Enumerated(EnumType.STRING)
  public SweepState state;

  public String startedBy;
  public Instant startedAt;
  public Instant endedAt;

  /** How many accounts were left, read and not to be read when it ended. */
  public int due;

  public int read;
  public int failed;
}
