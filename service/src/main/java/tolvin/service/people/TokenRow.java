package tolvin.service.people;

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
class TokenRow {
  @Id UUID id;
  UUID userId;
  String name;
  String tokenHash;
  Instant createdAt;
  Instant expiresAt;
  Instant revokedAt;
}
