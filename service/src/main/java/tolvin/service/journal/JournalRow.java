package tolvin.service.journal;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** An entry of the journal. */
@Entity
@DynamicUpdate
@Table(name = "journal_entry")
class JournalRow {
  @Id UUID id;
  Instant at;
  String actor;
  String action;
  UUID subject;
  String text;
  String data;
  Long number;
  byte[] link;

  @Column(name = "signature")
  byte[] signature;
}
