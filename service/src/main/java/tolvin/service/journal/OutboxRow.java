package tolvin.service.journal;

import jakarta.persistence.Entity;
import jakarta.persistence.GeneratedValue;
import jakarta.persistence.GenerationType;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A message that leaves with the change that it tells of. */
@Entity
@DynamicUpdate
@Table(name = "outbox")
class OutboxRow {
  @Id
  @GeneratedValue(strategy = GenerationType.IDENTITY)
  Long number;

  Instant at;
  String topic;
  UUID subject;
  String text;
}
