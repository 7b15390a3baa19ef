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
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.estate.TrialBy;
import tolvin.core.port.TrialPort;

/** A sign-in that Tolvin tried. */
@Entity
@DynamicUpdate
@Table(name = "trial")
public class TrialRow {
  @Id public UUID id;
  public UUID accountId;
  public UUID keyId;
  public Instant madeAt;
  public boolean accepted;
  public String answer;
  public int localPort;

  /** Both ends of its connection and what the server called itself; empty if that is not known. */
  public String connection = "";

  public Instant seenAt;

  @Enumerated(EnumType.STRING)
  public TrialBy madeBy = TrialBy.TOLVIN;

  @Enumerated(EnumType.STRING)
  public TrialPort.Way way = TrialPort.Way.SSH;

  @Enumerated(EnumType.STRING)
  public State state = State.SEEN;

  public long logFrom;
  public UUID challengeId;
  public boolean signed;

  @JdbcTypeCode(SqlTypes.JSON)
  public Explanation explanation;

  /**
   * A sign-in with a key of the coffer.
   *
   * @param answer what the server said, and what its log says about it
   */
  public static TrialRow ofTolvin(
      UUID id, UUID account, UUID key, Instant madeAt, TrialPort.Trial trial, String answer) {
    TrialRow row = new TrialRow();
    row.id = id;
    row.accountId = account;
    row.keyId = key;
    row.madeAt = madeAt;
    row.accepted = trial.accepted();
    row.answer = answer;
    row.localPort = trial.localPort();
    row.connection = trial.connection();
    return row;
  }

  /** How far a trial is. */
  public enum State {
    /** A holder is about to make it. */
    BEGUN,

    /** Its outcome is known. */
    SEEN
  }

  /**
   * Why it failed, as it was worked out then.
   *
   * @param server lines of the server's log about it; null of trials of before
   * @param client lines that the client printed; null of trials of before
   */
  public record Explanation(
      List<Cause> causes, List<String> unknowns, List<String> server, List<String> client) {}

  /** One cause. */
  public record Cause(
      CauseKind kind,
      tolvin.core.diagnosis.Cause.Certainty certainty,
      String sentence,
      List<String> evidence,
      String remedy) {}
}
