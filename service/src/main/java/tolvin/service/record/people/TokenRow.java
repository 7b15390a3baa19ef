package tolvin.service.record.people;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** An API token; only its hash is kept. */
@Entity
@DynamicUpdate
@Table(name = "api_token")
public class TokenRow {
  @Id public UUID id;
  public UUID userId;
  public String name;
  public String tokenHash;
  public Instant createdAt;
  public Instant expiresAt;
  public Instant revokedAt;
}
