package tolvin.service.record.account;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;
import tolvin.core.authorized.Admission;
import tolvin.core.estate.Management;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SignInMode;
import tolvin.core.key.Fingerprint;

/** A login on a destination, and what was found there last. */
@Entity
@DynamicUpdate
@Table(name = "account")
public class AccountRow {
  @Id public UUID id;
  public UUID destinationId;
  public String login;

  /** The kind of account, as the sheet calls it; empty on SSH servers. */
  public String kind = "";

  @Enumerated(EnumType.STRING)
  public SignInMode signInMode;

  public int holds;
  public UUID identityId;

  @JdbcTypeCode(SqlTypes.JSON)
  public List<Entry> registered;

  public Instant readAt;

  /** Who writes its keys: us, shared, or another source. */
  @Enumerated(EnumType.STRING)
  public Management managedBy = Management.TOLVIN;

  /** What the other source is; empty if there is none. */
  public String otherSource = "";

  /** The sign-in mode that the server showed last. */
  @Enumerated(EnumType.STRING)
  public SignInMode modeSeen;

  public Instant modeSeenAt;
  public Instant validFrom;
  public Instant validUntil;

  /**
   * One entry found on the account.
   *
   * @param key its SHA-256 fingerprint
   * @param line the entry exactly as it stands there
   * @param reference the destination's own reference; empty if it has none
   * @param slot the slot that it stands in; empty if slots have no names
   * @param addedAt when it was added, as the destination says
   * @param usedAt when it was last used, as the destination says
   * @param endsAt when the destination stops accepting it
   * @param ignored whether nobody can count on it: the server ignores it or may, or takes the key
   *     for an authority
   */
  public record Entry(
      String key,
      String line,
      String reference,
      String slot,
      Instant addedAt,
      Instant usedAt,
      Instant endsAt,
      boolean ignored) {

    /** What is known of it where keys are compared; the destination's details are left out. */
    public Registered asRegistered() {
      return new Registered(
          new Fingerprint(key),
          line,
          Optional.ofNullable(endsAt),
          ignored
              ? Admission.Kind.IGNORED
              : Admission.Kind.LETS_IN, // only whether it counts is kept
          Registered.Details.NONE);
    }
  }
}
