package tolvin.service.record.key;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import tolvin.core.pair.PrivateForm;

/** That a private key left the coffer towards its owner. */
@Entity
@DynamicUpdate
@Table(name = "key_download")
public class DownloadRow {
  @Id public UUID keyId;
  public Instant at;
  public String byLogin;

  @Enumerated(EnumType.STRING)
  public PrivateForm form;
}
