package tolvin.service.record.registration;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.List;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.registration.LineState;

/** One key on one account, as a registration of many wants it. */
@Entity
@DynamicUpdate
@Table(name = "registration_line")
public class RegistrationLineRow {
  @Id public UUID id;
  public UUID registrationId;

  /** Its place in the order, counted from one. */
  public int number;

  public UUID keyId;
  public UUID accountId;

  /** Where the account is, by which lines are held back. */
  public UUID destinationId;

  /** Whether the destination's own administrator is asked to do it. */
  public boolean byHand;

  @Enumerated(EnumType.STRING)
  public LineState state;

  /** What stands or stood in its way; null if nothing did. */
  public String reason;

  /** The placement that was made for it, or that was there; null before. */
  public UUID placementId;

  public String title;

  @Enumerated(EnumType.STRING)
  public Purpose purpose;

  @Enumerated(EnumType.STRING)
  public Access access;

  /** The addresses that the key is to be good from; empty for all. */
  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> sources;

  public Instant endsAt;

  /** Options of its line besides. */
  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> options;

  public Instant changedAt;

  /** It has become something else, for a reason or for none. */
  public void becomes(LineState next, String because, Instant when) {
    state = next;
    reason = because;
    changedAt = when;
  }
}
