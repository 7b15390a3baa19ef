package tolvin.service.record.people;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.people.TokenScope;

/** An API token; only its hash is kept. */
@Entity
@DynamicUpdate
@Table(name = "api_token")
public class TokenRow {
  @Id public UUID id;
  public UUID userId;
  public String name;
  public String tokenHash;

  @Enumerated(EnumType.STRING)
  public TokenScope scope;

  public Instant createdAt;

  /** When it was last used, to the minute; absent until it is. */
  public Instant lastUsedAt;

  public Instant expiresAt;
  public Instant revokedAt;
}
