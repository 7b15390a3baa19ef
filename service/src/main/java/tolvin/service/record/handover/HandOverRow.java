package tolvin.service.record.handover;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.handover.HandOverKind;
import tolvin.core.handover.HandOverState;

/** Something that somebody elsewhere was asked to do. */
@Entity
@DynamicUpdate
@Table(name = "hand_over")
public class HandOverRow {
  @Id public UUID id;

  /** register, take_out, supply or their_key. */
  @Enumerated(EnumType.STRING)
  public HandOverKind kind;

  /** open, replied, confirmed or given_up. */
  @Enumerated(EnumType.STRING)
  public HandOverState state;

  public UUID destinationId;
  public UUID accountId;
  public UUID seatId;
  public UUID keyId;
  public UUID placementId;
  public String toWhom;
  public String contact;
  public String form;
  public Instant dueAt;
  public Instant madeAt;
  public String linkHash;
  public Instant linkEndsAt;
  public Instant linkUsedAt;
  public String reply;
  public String replyName;

  /** Their key, one line, where it is them who give one. */
  public String replyKey;

  public String replyFingerprint;
  public Instant repliedAt;
  public Instant nextReminderAt;
  public int reminders;
  public Instant nextTrialAt;

  /** What the last trial said. */
  public String lastTrial;

  public Instant confirmedAt;
  public String endedBecause;

  public boolean isLive() {
    return state == HandOverState.OPEN || state == HandOverState.REPLIED;
  }
}
