package tolvin.service.record.integration;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.estate.Importance;

/** A client system that must not break. */
@Entity
@DynamicUpdate
@Table(name = "integration")
public class IntegrationRow {
  @Id public UUID id;
  public String name;
  public String owner;

  @Enumerated(EnumType.STRING)
  public Importance importance;

  public String environment;
  public Instant validFrom;
  public Instant validUntil;
}
