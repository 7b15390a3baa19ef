package tolvin.service.identity;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A person or a service account. */
@Entity
@DynamicUpdate
@Table(name = "identity")
public class IdentityRow {
  @Id public UUID id;
  public String kind;
  public String name;
  public String team;
  public String responsible;
  public Instant validFrom;
  public Instant validUntil;
}
