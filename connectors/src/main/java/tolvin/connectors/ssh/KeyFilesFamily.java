package tolvin.connectors.ssh;

import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import tolvin.core.estate.Family;
import tolvin.core.key.PlainText;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.FamilyForm.Setting;
import tolvin.core.port.Place;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.WrongSettingException;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerKind;
import tolvin.core.sweep.Seen;
import tolvin.core.word.Words;

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
            List.of(
                Setting.usual(
                    SaidOfServer.FURTHER_FILES,
                    "In which other files the server looks for an account's keys, with commas"
                        + " between them and "
                        + LOGIN
                        + " for its login; or "
                        + SaidOfServer.NO_FILES,
                    SaidOfServer.NO_FILES),
                Setting.usual(
                    SaidOfServer.KIND,
                    "Which server it is: "
                        + Words.all(ServerKind.class)
                        + "; or "
                        + SaidOfServer.NOTHING_SAID
                        + ", by what it calls itself",
                    SaidOfServer.NOTHING_SAID),
                Setting.usual(
                    SaidOfServer.FORMAT,
                    "How keys stand in its files: "
                        + Words.all(KeysFormat.class)
                        + "; or "
                        + SaidOfServer.NOTHING_SAID
                        + ", as is usual with such a server",
                    SaidOfServer.NOTHING_SAID),
                Setting.usual(
                    SaidOfServer.OPTIONS,
                    "Which options before a key it takes, with commas between them; or "
                        + SaidOfServer.NOTHING_SAID
                        + ", those of its kind",
                    SaidOfServer.NOTHING_SAID))));
  }

  @Override
  public Map<String, String> check(Attached asked) throws WrongSettingException {
    if (asked.managementLogin().isPresent() && !asked.keysPath().contains(LOGIN)) {
      throw new WrongSettingException(
          "With a management login the path of the keys must contain {login}.",
          "Give a path such as /home/{login}/.ssh/authorized_keys.");
    }
    for (String path : further(asked)) {
      demandOwn(path, asked);
    }
    demandWord(SaidOfServer.KIND, ServerKind.class, asked.settings());
    demandWord(SaidOfServer.FORMAT, KeysFormat.class, asked.settings());
    return asked.settings();
  }

  /** The other files, with {@code {login}} in them, as they were given. */
  private static List<String> further(Attached at) {
    String given = at.settings().getOrDefault(SaidOfServer.FURTHER_FILES, SaidOfServer.NO_FILES);
    return given.equals(SaidOfServer.NO_FILES)
        ? List.of()
        : Stream.of(given.split(",")).map(String::strip).toList();
  }

  /** A file of several accounts would lose a key for all of them when it is taken off one. */
  private static void demandOwn(String path, Attached asked) throws WrongSettingException {
    boolean isOwn =
        path.contains(LOGIN) || asked.managementLogin().isEmpty() && !path.startsWith("/");
    if (path.isEmpty() || !isOwn) {
      throw new WrongSettingException(
          "The setting “"
              + SaidOfServer.FURTHER_FILES
              + "” cannot name “"
              + PlainText.shown(path)
              + "”: it is not the"
              + " file of one account.",
          "Give paths such as /etc/ssh/keys/{login}, with commas between them, or "
              + SaidOfServer.NO_FILES
              + ".");
    }
    boolean isTwice = further(asked).stream().filter(path::equals).count() > 1;
    if (isTwice || path.equals(asked.keysPath())) {
      throw new WrongSettingException(
          "The setting “"
              + SaidOfServer.FURTHER_FILES
              + "” names "
              + PlainText.shown(path)
              + ", which is named already.",
          "Leave it out; the path of the keys itself is always read.");
    }
  }

  private static <E extends Enum<E>> void demandWord(
      String name, Class<E> words, Map<String, String> settings) throws WrongSettingException {
    String given = settings.getOrDefault(name, SaidOfServer.NOTHING_SAID);
    if (!given.equals(SaidOfServer.NOTHING_SAID) && Words.read(words, given).isEmpty()) {
      throw new WrongSettingException(
          "The setting “" + name + "” cannot be “" + PlainText.shown(given) + "”.",
          "Give one of: " + Words.all(words) + ", " + SaidOfServer.NOTHING_SAID + ".");
    }
  }

  @Override
  public Place account(Attached at, String kind, String login) {
    return new OverSsh(
        at.login(at.managementLogin().orElse(login)),
        at.keysPath().replace(LOGIN, login),
        further(at).stream().map(path -> path.replace(LOGIN, login)).toList(),
        SaidOfServer.in(at.settings()));
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
