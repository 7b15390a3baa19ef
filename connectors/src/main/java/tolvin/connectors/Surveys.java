package tolvin.connectors;

import java.time.Clock;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.ssh.FileSurveys;
import tolvin.connectors.ssh.SignInModes;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.SurveyPort;
import tolvin.core.sweep.Seen;

/** Reads all that can be seen of an account, in every family. */
final class Surveys implements SurveyPort {
  private final AccountPort accounts;
  private final FileSurveys files;
  private final SignInModes modes;
  private final Clock clock;

  Surveys(AccountPort accounts, FileSurveys files, SignInModes modes, Clock clock) {
    this.accounts = accounts;
    this.files = files;
    this.modes = modes;
    this.clock = clock;
  }

  @Override
  public Seen survey(Place where, String login, Besides besides) throws PortException {
    Seen seen =
        where instanceof Place.OverSsh file
            ? files.survey(file, besides.configPath(), clock.instant())
            : Seen.entries(clock.instant(), accounts.read(where));
    return new Seen(
        seen.at(),
        seen.registered(),
        seen.passedOver(),
        seen.path(),
        seen.ownerId(),
        List.copyOf(seen.doors()),
        mode(login, besides));
  }

  /** What cannot be asked is not known; the entries were read all the same. */
  private Optional<String> mode(String login, Besides besides) {
    try {
      return besides.signsInAt() == null ? Optional.empty() : modes.of(besides.signsInAt(), login);
    } catch (PortException notToldNow) {
      return Optional.empty();
    }
  }
}
