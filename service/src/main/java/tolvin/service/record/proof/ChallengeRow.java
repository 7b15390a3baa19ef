package tolvin.service.record.proof;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.proof.Challenge;

/** A challenge that was given out. */
@Entity
@DynamicUpdate
@Table(name = "challenge")
public class ChallengeRow {
  @Id public UUID id;

  @Enumerated(EnumType.STRING)
  public Challenge.Purpose purpose;

  public UUID identityId;
  public String identity;
  public String about;
  public String nonce;
  public String text;
  public Instant issuedAt;
  public Instant expiresAt;
  public Instant usedAt;
}
