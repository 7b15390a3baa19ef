package tolvin.service.key;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;

/** A list of compromised keys. */
@Entity
@Table(name = "compromised_list")
public class CompromisedRow {
  @Id public UUID id;
  public String name;
  public long entries;
  public Instant loadedAt;
  public Instant validUntil;
}
