package tolvin.service.record.registration;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.registration.RegistrationState;

/** Many keys to place, decided once. */
@Entity
@DynamicUpdate
@Table(name = "registration")
public class RegistrationRow {
  @Id public UUID id;

  @Enumerated(EnumType.STRING)
  public RegistrationState state;

  /** How many are placed at once on one destination. */
  public int atOnce;

  /** Whether all may be begun: one was seen to work, or a person said so. */
  public boolean tested;

  public String reason;

  /** A ticket's number; empty if there is none. */
  public String ticket;

  /** The login of the person who decided it. */
  public String begunBy;

  public Instant begunAt;
  public Instant endedAt;
}
