package tolvin.service.placement;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;

/** A sign-in that Tolvin tried. */
@Entity
@Table(name = "trial")
public class TrialRow {
  @Id public UUID id;
  public UUID accountId;
  public UUID keyId;
  public Instant madeAt;
  public boolean accepted;
  public String answer;
  public int localPort;
  public Instant seenAt;
}
