package tolvin.service.record.usage;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Duration;
import java.time.Instant;
import java.util.Optional;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** The uses of a key on an account from an address. */
@Entity
@DynamicUpdate
@Table(name = "use_seen")
public class UseRow {
  @Id public UUID id;
  public UUID accountId;
  public String fingerprint;
  public String address;
  public Instant firstAt;
  public Instant earliest;
  public Instant latest;
  public long count;

  /** How often it is used, on average; empty as long as that says nothing. */
  public Optional<Duration> interval() {
    return count < 3
        ? Optional.empty()
        : Optional.of(Duration.between(firstAt, latest).dividedBy(count - 1));
  }

  /** Whether only a file that a person read in says so; such a use proves nothing. */
  public boolean readIn;
}
