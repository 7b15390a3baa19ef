package tolvin.service.record.sweep;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.key.Fingerprint;
import tolvin.core.sweep.Finding;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Severity;

/** One difference, from when it was first seen until it was settled. */
@Entity
@DynamicUpdate
@Table(name = "finding")
public class FindingRow {
  @Id public UUID id;
  public UUID destinationId;

  /** Absent if it is about the destination as such. */
  public UUID accountId;

  @Enumerated(EnumType.STRING)
  public FindingKind kind;

  public String subject;
  public String fingerprint;

  @Enumerated(EnumType.STRING)
  public Severity severity;

  public String sentence;
  public String evidence;
  public String remedy;
  public Instant firstSeenAt;
  public Instant seenAt;

  /** How often it was settled before and found again. */
  public int cameBack;

  public Instant acceptedUntil;
  public String acceptedBecause;
  public Instant settledAt;

  /** The action, or {@code gone} if it was simply not found any more. */
  public String settledBy;

  public String settledBecause;

  /** Whether it says the same as what was found. */
  public boolean says(Finding finding) {
    return finding.severity() == severity
        && finding.sentence().equals(sentence)
        && finding.evidence().equals(evidence)
        && finding.kind().remedy().equals(remedy);
  }

  /** Says what was found. */
  public void say(Finding finding) {
    severity = finding.severity();
    sentence = finding.sentence();
    evidence = finding.evidence();
    remedy = finding.kind().remedy();
    fingerprint = finding.key().map(Fingerprint::value).orElse(null);
  }
}
