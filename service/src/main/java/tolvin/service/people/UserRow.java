package tolvin.service.people;

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
class UserRow {
  @Id UUID id;
  String login;
  String name;
  String role;
  UUID identityId;
  String passwordHash;
  int failures;
  Instant lockedUntil;
  Instant createdAt;
}
