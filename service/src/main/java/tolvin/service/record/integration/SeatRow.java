package tolvin.service.record.integration;

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
import tolvin.core.estate.TakesEffect;

/**
 * A private file on an integration's host, or an entry of a credential store, and what was found
 * there last.
 */
@Entity
@DynamicUpdate
@Table(name = "seat")
public class SeatRow {
  @Id public UUID id;
  public UUID integrationId;
  public UUID destinationId;
  public String machine;

  /** The kind of seat, as the sheet calls it; empty for files. */
  public String kind = "";

  /** The login that it is supplied through; for a credential, the job that signs in with it. */
  public String login;

  /** The file, or the credential's name. */
  public String path;

  public String address;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> offers;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> keeps;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> everOffered;

  @JdbcTypeCode(SqlTypes.JSON)
  public Found found;

  /** Whether it can be asked to sign in. */
  public boolean triesItself;

  /** Whether it keeps the former private key beside. */
  public boolean keepsFormer = true;

  /** When a new private key takes effect. */
  @Enumerated(EnumType.STRING)
  public TakesEffect takesEffect = TakesEffect.NEXT_SIGN_IN;

  /** What is run on the host to make it so; empty if nothing is. */
  public String effectCommand = "";

  /** Further files that its client offers behind the first one, in their order. */
  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> morePaths = new java.util.ArrayList<>();

  /** Whether its client goes on to the next key after a refusal, as somebody said. */
  public Boolean fallsBack;

  public Instant fallsBackSaidAt;

  /** When what it offers was made to take effect last. */
  public Instant effectAt;

  public Instant readAt;

  /** Since when it was read as offering what it offers now. */
  public Instant sameSince;

  public Instant offersSince;
  public Instant validFrom;
  public Instant validUntil;

  /** The file that the key with this place among the offered ones is in. */
  public String file(int offered) {
    return offered < 1 || offered > morePaths.size() ? path : morePaths.get(offered - 1);
  }

  /**
   * What a holder's own client saw of the file.
   *
   * @param mode its permission bits, in octal
   * @param encrypted whether it has a passphrase
   * @param by the login of whoever reported it
   */
  public record Found(String mode, boolean encrypted, String by) {}
}
