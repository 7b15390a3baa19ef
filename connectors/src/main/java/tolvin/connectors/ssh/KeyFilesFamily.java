package tolvin.connectors.ssh;

import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.estate.Family;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.WrongSettingException;
import tolvin.core.sweep.Seen;

/** SSH servers whose accounts keep their keys in files (sshd(8), AUTHORIZED_KEYS FILE FORMAT). */
public final class KeyFilesFamily implements DestinationFamily {
  private static final String LOGIN = "{login}";

  private final AccountPort accounts;
  private final FileSurveys surveys;

  /** Over these connections. */
  public KeyFilesFamily(SshConnections connections) {
    this.accounts = new AuthorizedKeysFiles(connections);
    this.surveys = new FileSurveys(connections);
  }

  @Override
  public String name() {
    return "sftp-server";
  }

  @Override
  public Optional<FamilyForm> form() {
    return Optional.of(
        new FamilyForm(
            Family.SFTP_SERVER,
            "SSH server, with keys in files",
            22,
            Optional.empty(),
            FamilyForm.With.KEY,
            true,
            false,
            List.of()));
  }

  @Override
  public Map<String, String> check(Attached asked) throws WrongSettingException {
    if (asked.managementLogin().isPresent() && !asked.keysPath().contains(LOGIN)) {
      throw new WrongSettingException(
          "With a management login the path of the keys must contain {login}.",
          "Give a path such as /home/{login}/.ssh/authorized_keys.");
    }
    return asked.settings();
  }

  @Override
  public Place account(Attached at, String kind, String login) {
    return new OverSsh(
        at.login(at.managementLogin().orElse(login)), at.keysPath().replace(LOGIN, login));
  }

  @Override
  public AccountPort accounts() {
    return accounts;
  }

  @Override
  public Seen survey(Place where, Instant now) throws PortException {
    return surveys.survey((OverSsh) where, now);
  }
}
