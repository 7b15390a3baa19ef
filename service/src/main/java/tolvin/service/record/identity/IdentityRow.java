package tolvin.service.record.identity;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.estate.IdentityKind;

/** A person or a service account. */
@Entity
@DynamicUpdate
@Table(name = "identity")
public class IdentityRow {
  @Id public UUID id;

  @Enumerated(EnumType.STRING)
  public IdentityKind kind;

  public String name;
  public String team;
  public String responsible;
  public Instant validFrom;
  public Instant validUntil;
}
