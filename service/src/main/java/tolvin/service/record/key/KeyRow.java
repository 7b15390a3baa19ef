package tolvin.service.record.key;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.estate.Custody;

/** A public key and what is known of it; never a private key. */
@Entity
@DynamicUpdate
@Table(name = "key_record")
public class KeyRow {
  @Id public UUID id;
  public String fingerprint;
  public String md5;
  public String type;
  public int bits;
  public String application;
  public byte[] blob;
  public String comment;
  public UUID identityId;

  @Enumerated(EnumType.STRING)
  public Custody custody;

  public Instant madeAt;
  public Instant registeredAt;
  public Instant endedAt;
  public String endedBecause;

  /** When it must have been replaced; empty if no rule says so, or it has to be worked out. */
  public Instant dueAt;

  /** When its rotation starts. */
  public Instant dueStartAt;

  /** Why then, in words. */
  public String dueReason;

  /** By which rulebook and time zone that was worked out; empty while it has to be. */
  public String dueBy;
}
