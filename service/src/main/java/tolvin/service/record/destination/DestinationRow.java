package tolvin.service.record.destination;

import jakarta.persistence.Entity;
import jakarta.persistence.EnumType;
import jakarta.persistence.Enumerated;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import jakarta.persistence.Version;
import java.time.Instant;
import java.util.HashMap;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.annotations.OptimisticLock;
import org.hibernate.type.SqlTypes;
import tolvin.core.estate.Family;
import tolvin.core.form.Form;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerAbility;

/** A system that keys get registered on. */
@Entity
@DynamicUpdate
@Table(name = "destination")
public class DestinationRow {
  /** Why nothing is done at a destination whose host key nobody compared yet. */
  public static final String NOT_COMPARED =
      "Its host key was not compared yet. Compare it with its administrator, then: tolvin destination"
          + " confirm NAME --fingerprint SHA256:…";

  @Id public UUID id;
  public String name;

  @Enumerated(EnumType.STRING)
  public Family family;

  public String host;
  public int port;
  public String managementLogin;
  public String keysPath;
  public String logPath;

  /** The form that it takes keys in. */
  public String takes;

  public long propagationSeconds;
  public byte[] connectionKey;

  /** The sheet that describes it; absent for SSH servers. */
  public UUID sheetId;

  /** The base of all requests, or the database's URL; empty for SSH servers. */
  public String address = "";

  /** What the sheet asks for. */
  @JdbcTypeCode(SqlTypes.JSON)
  public Map<String, String> settings = new HashMap<>();

  /** The line with which its SSH server begins a connection; absent until it was looked at. */
  @OptimisticLock(excluded = true)
  public String identification;

  /** As whom Tolvin connects; may be empty. */
  public String connectUser = "";

  /** When the connection secret ends, as somebody said. */
  public Instant secretEndsAt;

  /** When it was tried with a throw-away key, by the sheet in force. */
  @OptimisticLock(excluded = true)
  public Instant testedAt;

  @JdbcTypeCode(SqlTypes.JSON)
  @OptimisticLock(excluded = true)
  public Health health;

  /** The jump host that it is reached through, with Tolvin's login there. */
  public UUID routeId;

  public String routeLogin;

  /** Where its accounts sign in, if that is another destination. */
  public UUID signsInAtId;

  /** How many accounts a sweep reads there in a second, at most. */
  public int readsPerSecond = 20;

  /** The server's own configuration, if Tolvin may read it. */
  public String configPath;

  /** Where the sign-in mode of an account is written, if the server lets us. */
  public String modePath;

  /** What makes the server read its configuration again. */
  public String reloadCommand;

  public String stoppedBecause;
  public Instant validFrom;
  public Instant validUntil;

  /** Counts what people change; what the service itself notes does not count. */
  @Version public int version;

  /** Whether it is described by a sheet. */
  public boolean hasSheet() {
    return sheetId != null;
  }

  /** Whether keys stand there in files that Tolvin edits over SSH. */
  public boolean hasFiles() {
    return family == Family.SFTP_SERVER;
  }

  /** What its server makes of files of keys, as far as is known. */
  public ServerAbility ability() {
    return hasFiles()
        ? SaidOfServer.in(settings).ability(Optional.ofNullable(identification))
        : ServerAbility.OPENSSH;
  }

  /** The form that a key is given to its administrator in. */
  public Form form() {
    return hasFiles() && ability().format() == KeysFormat.BLOCKS
        ? Form.RFC4716
        : Form.ofWord(takes).orElse(Form.ONE_LINE);
  }

  /** Whether nothing is done there only because nobody compared its host key yet. */
  public boolean waitsToBeCompared() {
    return NOT_COMPARED.equals(stoppedBecause);
  }

  /** Whether only its own administrator can change what is registered there. */
  public boolean isPartner() {
    return family == Family.PARTNER;
  }

  /**
   * How it was when it was last looked at.
   *
   * @param reachable whether it answered
   * @param secretGood whether it let Tolvin in; absent if that was not tried
   * @param tookMillis how long the answer took
   * @param secretEnds when the connection secret ends, as the system says
   * @param clockAheadSeconds how far its clock is ahead of ours; absent if it does not tell
   * @param failure what was wrong; absent if nothing was
   */
  public record Health(
      Instant at,
      boolean reachable,
      Boolean secretGood,
      long tookMillis,
      Instant secretEnds,
      Long clockAheadSeconds,
      String failure) {}
}
