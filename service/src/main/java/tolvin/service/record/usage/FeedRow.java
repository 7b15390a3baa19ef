package tolvin.service.record.usage;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** How far a destination's sign-in log was read; its id is the destination. */
@Entity
@DynamicUpdate
@Table(name = "feed")
public class FeedRow {
  @Id
  @Column(name = "destination_id")
  public UUID id;

  public long logOffset;
  public String head;
  public Instant readTo;
  public Instant unbrokenSince;

  /** Since when it was read again and again without a pause; silences are learned from then on. */
  public Instant workingSince;

  public String failure;
}
