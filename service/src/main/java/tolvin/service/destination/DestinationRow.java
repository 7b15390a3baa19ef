package tolvin.service.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import jakarta.persistence.Version;
import java.time.Instant;
import java.util.UUID;

/** A system that keys get registered on. */
@Entity
@Table(name = "destination")
public class DestinationRow {
  @Id public UUID id;
  public String name;
  public String family;
  public String host;
  public int port;
  public String managementLogin;
  public String keysPath;
  public String logPath;

  /** The form that it takes keys in. */
  public String takes;

  public long propagationSeconds;
  public byte[] connectionKey;
  public String stoppedBecause;
  public Instant validFrom;
  public Instant validUntil;
  @Version public int version;
}
