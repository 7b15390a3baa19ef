package tolvin.connectors;

import java.time.Clock;
import java.util.List;
import java.util.Optional;
import tolvin.connectors.ssh.FileSurveys;
import tolvin.connectors.ssh.SignInModes;
import tolvin.core.estate.SignInMode;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.port.SurveyPort;
import tolvin.core.sweep.Seen;

/** Reads all that can be seen of an account, in every family. */
record Surveys(Families families, FileSurveys files, SignInModes modes, Clock clock)
    implements SurveyPort {

  @Override
  public Seen survey(Place where, String login, Server signsInAt) throws PortException {
    return families
        .of(where)
        .survey(where, clock.instant())
        .with(mode(login, signsInAt).orElse(null));
  }

  @Override
  public List<Seen.Door> doors(Place.OverSsh where, String configPath) throws PortException {
    return files.doors(where, configPath);
  }

  /** What cannot be asked is not known; the entries were read all the same. */
  private Optional<SignInMode> mode(String login, Server signsInAt) {
    try {
      return signsInAt == null ? Optional.empty() : modes.of(signsInAt, login);
    } catch (PortException notToldNow) {
      return Optional.empty();
    }
  }
}
