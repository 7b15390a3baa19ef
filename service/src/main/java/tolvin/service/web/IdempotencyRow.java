package tolvin.service.web;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;

/** A create that was asked for with a key of its own, and what was answered. */
@Entity
@DynamicUpdate
@Table(name = "idempotency")
class IdempotencyRow {
  @Id UUID id;
  String userLogin;
  String requestKey;
  String request;
  Integer status;
  String response;
  Instant createdAt;
}
