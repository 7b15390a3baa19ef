package tolvin.connectors.git;

import static tolvin.core.port.FamilyForm.Setting.needed;
import static tolvin.core.port.FamilyForm.Setting.usual;

import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.estate.Family;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort.Who;
import tolvin.core.port.WrongSettingException;
import tolvin.core.sweep.Seen;

/** Key repositories: files of keys in git, changed by commit and push over SSH. */
public final class RepositoryFamily implements DestinationFamily {
  private static final String PATH = "path";
  private static final String BRANCH = "branch";
  private static final String FILES = "files";
  private static final String EACH = "keys-in-a-file";
  private static final String SHARED = "shared-login";
  private static final String WHO = "who";
  private static final String SAYS = "who-says";
  private static final String USUALLY_SAYS = "hello {login},";
  private static final String AUTHOR = "author";
  private static final String SIGNED = "signed";

  /** Stricter than git's own rules (git-check-ref-format). */
  private static final Pattern BRANCH_NAME = Pattern.compile("[A-Za-z0-9][A-Za-z0-9._/-]{0,99}");

  private final RepositoryAccounts accounts;

  /** Over these accounts. */
  public RepositoryFamily(RepositoryAccounts accounts) {
    this.accounts = accounts;
  }

  @Override
  public String name() {
    return "key-repository";
  }

  @Override
  public Optional<FamilyForm> form() {
    return Optional.of(
        new FamilyForm(
            Family.KEY_REPOSITORY,
            "Key repository, with keys in files of a git repository",
            22,
            Optional.of("git"),
            FamilyForm.With.KEY,
            true,
            true,
            List.of(
                needed(PATH, "the repository's path, as git gives it to the server"),
                usual(BRANCH, "the branch that counts", "main"),
                usual(
                    FILES,
                    "the names of an account's files; {login}, and {key} for a file each; more"
                        + " patterns behind, with * and **/, for those that are there already",
                    "keys/{login}.pub"),
                usual(
                    EACH,
                    "how many keys the system that reads them takes from a file, any or one",
                    "any"),
                usual(
                    SHARED,
                    "the login that all accounts sign in with, where it is one and the same",
                    ""),
                usual(WHO, "the command by which that system says who signed in", ""),
                usual(
                    SAYS,
                    "what its answer contains then; {login} stands for the account",
                    USUALLY_SAYS),
                usual(AUTHOR, "who commits", "Tolvin <tolvin@localhost>"),
                usual(SIGNED, "whether commits are signed, yes or no", "no"))));
  }

  @Override
  public Map<String, String> check(Attached asked) throws WrongSettingException {
    Map<String, String> settings = asked.settings();
    if (!List.of("any", "one").contains(settings.get(EACH))) {
      throw new WrongSettingException(
          "The setting “" + EACH + "” is neither any nor one.", "Give one of the two.");
    }
    if (!settings.get(WHO).isBlank() && !settings.get(SAYS).contains(KeyRepository.LOGIN)) {
      throw new WrongSettingException(
          "The setting “" + SAYS + "” does not tell accounts apart: it has no {login}.",
          "Give one such as “hello {login},”.");
    }
    Optional<String> flaw = KeyRepository.flaw(settings.get(FILES), isOneEach(settings));
    if (flaw.isPresent()) {
      throw new WrongSettingException(
          "The pattern of file names is not good: " + flaw.get(),
          "Give one such as keys/{login}.pub.");
    }
    if (!List.of("yes", "no").contains(settings.get(SIGNED))) {
      throw new WrongSettingException(
          "The setting “" + SIGNED + "” is neither yes nor no.", "Give one of the two.");
    }
    String branch = settings.get(BRANCH);
    if (!BRANCH_NAME.matcher(branch).matches() || branch.contains("..")) {
      throw new WrongSettingException("That is no name of a branch.", "Give one such as main.");
    }
    return settings;
  }

  @Override
  public Place account(Attached at, String kind, String login) {
    Login keeper = at.login(at.user());
    Map<String, String> settings = at.settings();
    return new InRepository(
        new KeyRepository(
            keeper,
            settings.get(PATH),
            settings.get(BRANCH),
            settings.get(FILES),
            isOneEach(settings),
            settings.get(AUTHOR),
            settings.get(SIGNED).equals("yes") ? Optional.of(keeper.signer()) : Optional.empty()),
        login);
  }

  private static boolean isOneEach(Map<String, String> settings) {
    return settings.getOrDefault(EACH, "any").equals("one");
  }

  @Override
  public Optional<String> sharedLogin(Attached at) {
    return Optional.of(at.settings().getOrDefault(SHARED, "").strip()).filter(s -> !s.isEmpty());
  }

  @Override
  public Optional<Who> who(Attached at, String kind, String login) {
    String command = at.settings().getOrDefault(WHO, "");
    return command.isBlank()
        ? Optional.empty()
        : Optional.of(
            new Who(
                command.strip(),
                at.settings()
                    .getOrDefault(SAYS, USUALLY_SAYS)
                    .replace(KeyRepository.LOGIN, login)));
  }

  @Override
  public AccountPort accounts() {
    return accounts;
  }

  @Override
  public Optional<KeysFile> keysFile(Place where) throws PortException {
    return Optional.of(accounts.keysFile((InRepository) where));
  }

  @Override
  public Seen survey(Place where, Instant now) throws PortException {
    return accounts.survey((InRepository) where, now);
  }
}
