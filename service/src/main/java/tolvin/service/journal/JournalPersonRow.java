package tolvin.service.journal;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.DynamicUpdate;

/** Who a salted hash in the journal stands for; the name can be erased, the hash stays. */
@Entity
@DynamicUpdate
@Table(name = "journal_person")
class JournalPersonRow {
  @Id String ref;
  byte[] salt;
  String name;
}
