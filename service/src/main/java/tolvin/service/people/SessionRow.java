package tolvin.service.people;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A session of the console; only the token's hash is kept. */
@Entity
@DynamicUpdate
@Table(name = "sign_in_session")
class SessionRow {
  @Id UUID id;
  UUID userId;
  String tokenHash;
  String csrf;
  Instant createdAt;
  Instant expiresAt;
}
