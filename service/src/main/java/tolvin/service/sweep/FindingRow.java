package tolvin.service.sweep;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.Locale;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.key.Fingerprint;
import tolvin.core.sweep.Finding;
import tolvin.core.sweep.FindingKind;

/** One difference, from when it was first seen until it was settled. */
@Entity
@DynamicUpdate
@Table(name = "finding")
public class FindingRow {
  @Id public UUID id;
  public UUID destinationId;

  /** Absent if it is about the destination as such. */
  public UUID accountId;

  public String kind;
  public String subject;
  public String fingerprint;
  public String severity;
  public String sentence;
  public String evidence;
  public String wayOut;
  public Instant firstSeenAt;
  public Instant seenAt;

  /** How often it was settled before and found again. */
  public int cameBack;

  public Instant acceptedUntil;
  public String acceptedBecause;
  public Instant settledAt;

  /** The deed, or {@code gone} if it was simply not found any more. */
  public String settledBy;

  public String settledBecause;

  FindingKind kind() {
    return FindingKind.of(kind);
  }

  /** Whether it says the same as what was found. */
  boolean says(Finding finding) {
    return word(finding).equals(severity)
        && finding.sentence().equals(sentence)
        && finding.evidence().equals(evidence)
        && finding.kind().wayOut().equals(wayOut);
  }

  /** Says what was found. */
  void say(Finding finding) {
    severity = word(finding);
    sentence = finding.sentence();
    evidence = finding.evidence();
    wayOut = finding.kind().wayOut();
    fingerprint = finding.key().map(Fingerprint::value).orElse(null);
  }

  private static String word(Finding finding) {
    return finding.severity().name().toLowerCase(Locale.ROOT);
  }
}
