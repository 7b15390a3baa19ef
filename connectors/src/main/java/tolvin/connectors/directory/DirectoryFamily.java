package tolvin.connectors.directory;

import static tolvin.core.port.FamilyForm.Setting.needed;
import static tolvin.core.port.FamilyForm.Setting.usual;

import java.time.Duration;
import java.time.Instant;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import tolvin.connectors.directory.DirectoryServer.Security;
import tolvin.core.diagnosis.Circumstances.KeysFile;
import tolvin.core.estate.Family;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Attached;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.HealthPort.Health;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.WrongSettingException;
import tolvin.core.sweep.Seen;

/** Directories: keys on people's entries (LDAP, RFC 4511). */
public final class DirectoryFamily implements DestinationFamily {
  private static final String SECURITY = "security";
  private static final String TRUSTED = "trusted-certificate";
  private static final String BASE = "base";
  private static final String FILTER = "filter";
  private static final String ATTRIBUTE = "attribute";
  private static final String OBJECT_CLASS = "object-class";
  private static final String LOGIN = "{login}";

  /** An attribute's name (RFC 4512 section 1.4, keystring). */
  private static final Pattern ATTRIBUTE_NAME = Pattern.compile("[A-Za-z][A-Za-z0-9-]*");

  private final DirectoryAccounts accounts;

  /** Over these accounts. */
  public DirectoryFamily(DirectoryAccounts accounts) {
    this.accounts = accounts;
  }

  @Override
  public String name() {
    return "directory";
  }

  @Override
  public Optional<FamilyForm> form() {
    return Optional.of(
        new FamilyForm(
            Family.DIRECTORY,
            "Directory, with keys on people's entries (LDAP)",
            636,
            Optional.of(""),
            FamilyForm.With.SECRET,
            false,
            true,
            List.of(
                needed(BASE, "the entry below which people are"),
                usual(FILTER, "how the entry of a login is found", "(uid={login})"),
                needed(ATTRIBUTE, "the attribute with the keys"),
                usual(OBJECT_CLASS, "the class that an entry needs for it", ""),
                usual(SECURITY, "LDAPS or STARTTLS", Security.LDAPS.name()),
                new FamilyForm.Setting(
                    TRUSTED,
                    "the certificate, in PEM, that the directory's own is checked with",
                    Optional.empty(),
                    true))));
  }

  @Override
  public Map<String, String> check(Attached asked) throws WrongSettingException {
    Map<String, String> settings = new HashMap<>(asked.settings());
    settings.compute(SECURITY, (name, value) -> value.toUpperCase(Locale.ROOT));
    try {
      Security.valueOf(settings.get(SECURITY));
    } catch (IllegalArgumentException neither) {
      throw new WrongSettingException(
          "The setting “" + SECURITY + "” is neither LDAPS nor STARTTLS.", "Give one of the two.");
    }
    if (!settings.get(FILTER).contains(LOGIN)) {
      throw new WrongSettingException(
          "The filter must contain {login}.", "Give one such as (uid={login}).");
    }
    if (!ATTRIBUTE_NAME.matcher(settings.get(ATTRIBUTE)).matches()) {
      throw new WrongSettingException(
          "That is no name of an attribute.", "Give its name in the schema.");
    }
    if (asked.user().isEmpty() || asked.secret().isBlank()) {
      throw new WrongSettingException(
          "A directory wants a user to bind as, and a secret.",
          "Give --user with its distinguished name and --secret-file.");
    }
    return settings;
  }

  @Override
  public Place account(Attached at, String kind, String login) {
    return new InDirectory(server(at), login);
  }

  private static DirectoryServer server(Attached at) {
    Map<String, String> settings = at.settings();
    return new DirectoryServer(
        at.name(),
        at.host(),
        at.port(),
        Security.valueOf(settings.get(SECURITY)),
        settings.get(TRUSTED),
        at.user(),
        at.secret(),
        settings.get(BASE),
        settings.get(FILTER),
        settings.get(ATTRIBUTE),
        settings.getOrDefault(OBJECT_CLASS, ""));
  }

  @Override
  public AccountPort accounts() {
    return accounts;
  }

  @Override
  public Optional<KeysFile> keysFile(Place where) throws PortException {
    return Optional.of(accounts.keysFile((InDirectory) where));
  }

  @Override
  public Seen survey(Place where, Instant now) throws PortException {
    return accounts.survey((InDirectory) where, now);
  }

  @Override
  public Optional<Health> look(Attached at) throws PortException {
    long began = System.nanoTime();
    accounts.look(server(at));
    return Optional.of(
        new Health(
            Duration.ofNanos(System.nanoTime() - began), Optional.empty(), Optional.empty()));
  }
}
