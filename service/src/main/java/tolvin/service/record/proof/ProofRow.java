package tolvin.service.record.proof;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.proof.ProofKind;

/** Something that was proven of a key. */
@Entity
@DynamicUpdate
@Table(name = "key_proof")
public class ProofRow {
  @Id public UUID id;
  public UUID keyId;

  @Enumerated(EnumType.STRING)
  public ProofKind kind;

  public Instant at;
  public UUID challengeId;
  public String algorithm;
  public boolean passphrase;
  public Boolean touched;
  public Boolean verified;
  public String origin;
  public UUID model;
  public String maker;
  public String note;
}
