package tolvin.service.record.placement;

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
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Purpose;

/** One key on one account. */
@Entity
@DynamicUpdate
@Table(name = "placement")
public class PlacementRow {
  /** The reason of a placement that is over since its entry was gone. */
  public static final String TAKEN_OUT = "somebody else took it out";

  @Id public UUID id;
  public UUID keyId;
  public UUID accountId;
  public UUID rotationId;

  @Enumerated(EnumType.STRING)
  public PlacementState state;

  public String reason;

  /** Why it was taken off again right after it was placed; null if it was not. */
  public String takenBackBecause;

  public String title;

  @Enumerated(EnumType.STRING)
  public Purpose purpose;

  @Enumerated(EnumType.STRING)
  public Access access = Access.WRITE;

  /** The destination's own reference; empty until it is known, and where there is none. */
  public String reference = "";

  public String mark;
  public String line;

  /** The addresses that the key is good from; empty for all. */
  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> sources;

  /** When the destination stops accepting it by itself. */
  public Instant endsAt;

  /** Options of the line besides, such as a forced command. */
  @JdbcTypeCode(SqlTypes.JSON)
  public List<String> options = new java.util.ArrayList<>();

  /** When what was written is read again. */
  public Instant lookAgainAt;

  /** Since when a reading does not find its entry; empty while the last one found it. */
  public Instant missingSince;

  /** When a reading is due that confirms that its entry is gone. */
  public Instant confirmAt;

  /** When two readings agreed that somebody else took it out; empty once a person settled that. */
  public Instant lostAt;

  /** Whether a person, told what would break, said that it is to be withdrawn all the same. */
  public boolean overruled;

  public Instant wantedAt;
  public Instant placedAt;
  public Instant provenAt;
  public Instant withdrawnAt;

  /** Whether somebody wants it placed or withdrawn, and no rotation does it. */
  public boolean isToBeDone() {
    return rotationId == null
        && (state == PlacementState.WANTED || state == PlacementState.WITHDRAWING);
  }

  /** Whether it was placed, and nobody is about to take it out. */
  public boolean isThereOnRecord() {
    return state == PlacementState.PLACED || state == PlacementState.PROVEN;
  }

  /** It is not withdrawn after all, since something would break. */
  public void stays(String because) {
    state = provenAt == null ? PlacementState.PLACED : PlacementState.PROVEN;
    reason = because;
    overruled = false;
  }

  /** Somebody signed in with it; of one that is not placed, or goes, that changes nothing. */
  public void proven(Instant when) {
    if (state == PlacementState.PLACED) {
      state = PlacementState.PROVEN;
      provenAt = when;
    }
  }
}
