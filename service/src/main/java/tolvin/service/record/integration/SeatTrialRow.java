package tolvin.service.record.integration;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A sign-in that a seat made itself because it was asked to. */
@Entity
@DynamicUpdate
@Table(name = "seat_trial")
public class SeatTrialRow {
  @Id public UUID id;
  public UUID tieId;
  public String fingerprint;
  public Instant madeAt;
  public boolean accepted;
  public String log;
}
