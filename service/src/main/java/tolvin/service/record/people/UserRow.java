package tolvin.service.record.people;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.people.UserRole;
import tolvin.core.people.UserState;

/** Somebody who may sign in to Tolvin. */
@Entity
@DynamicUpdate
@Table(name = "user_account")
public class UserRow {
  @Id public UUID id;
  public String login;
  public String name;

  @Enumerated(EnumType.STRING)
  public UserRole role;

  @Enumerated(EnumType.STRING)
  public UserState state;

  public UUID identityId;

  /** Of the password; absent until they chose one. */
  public String passwordHash;

  /** Of the link that lets them choose a password; absent when none is out. */
  public String linkHash;

  /** Until when the link is good. */
  public Instant linkUntil;

  /** The login of who made the link. */
  public String linkBy;

  /** When a link was last used to choose a password; absent for the first administrator. */
  public Instant openedAt;

  /** The login of who had made that link. */
  public String openedBy;

  /** When they last did something, to the minute; absent until they do. */
  public Instant lastSeenAt;

  public Instant createdAt;
}
