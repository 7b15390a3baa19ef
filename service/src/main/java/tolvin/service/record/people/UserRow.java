package tolvin.service.record.people;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** Somebody who may sign in to Tolvin. */
@Entity
@DynamicUpdate
@Table(name = "user_account")
public class UserRow {
  @Id public UUID id;
  public String login;
  public String name;
  public String role;
  public UUID identityId;
  public String passwordHash;
  public Instant createdAt;
}
