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

  /** The address that it was begun from. */
  public String address;

  public Instant createdAt;

  /** When somebody last did something in it, to the minute. */
  public Instant lastUsedAt;

  /** When the password was last given. */
  public Instant confirmedAt;

  public Instant expiresAt;
}
