package tolvin.service.record.people;

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
public class SessionRow {
  @Id public UUID id;
  public UUID userId;
  public String tokenHash;
  public String csrf;
  public Instant createdAt;
  public Instant expiresAt;
}
