package tolvin.service.destination;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import tolvin.core.form.Form;
import tolvin.core.port.KeyRepository;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/**
 * What is particular about destinations that Tolvin knows how to talk to by itself: SSH servers,
 * key repositories, directories, and partners that it cannot talk to.
 */
final class OwnFamilies {
  static final List<String> ALL = List.of("sftp_server", "key_repository", "directory", "partner");

  static final String PATH = "path";
  static final String BRANCH = "branch";
  static final String FILES = "files";
  static final String AUTHOR = "author";
  static final String SIGNED = "signed";
  static final String SECURITY = "security";
  static final String TRUSTED = "trusted-certificate";
  static final String BASE = "base";
  static final String FILTER = "filter";
  static final String ATTRIBUTE = "attribute";
  static final String OBJECT_CLASS = "object-class";
  static final String TO_WHOM = "to-whom";
  static final String CONTACT = "contact";
  static final String FORM = "form";

  private static final String LOGIN = "{login}";

  /** What may be said of each family: name to what is usual; null where it must be said. */
  private static final Map<String, Map<String, String>> SETTINGS =
      Map.of(
          "key_repository",
          settings(
              PATH,
              null,
              BRANCH,
              "main",
              FILES,
              "keys/{login}.pub",
              AUTHOR,
              "Tolvin <tolvin@localhost>",
              SIGNED,
              "no"),
          "directory",
          settings(
              BASE,
              null,
              FILTER,
              "(uid={login})",
              ATTRIBUTE,
              null,
              OBJECT_CLASS,
              "",
              SECURITY,
              "LDAPS",
              TRUSTED,
              null),
          "partner",
          settings(TO_WHOM, null, CONTACT, null, FORM, Form.AUTHORIZED_KEYS.word()));

  private OwnFamilies() {}

  private static Map<String, String> settings(String... pairs) {
    Map<String, String> all = new HashMap<>();
    for (int i = 0; i < pairs.length; i += 2) {
      all.put(pairs[i], pairs[i + 1]);
    }
    return all;
  }

  /** Fills in a destination that is about to be added. */
  static void fill(DestinationRow row, DestinationResource.DestinationWish wish) {
    row.family = Checks.oneOf(wish.family(), ALL, "family");
    row.host = Checks.text(wish.host(), "host");
    row.takes = Form.AUTHORIZED_KEYS.word();
    row.port = wish.port() == null ? row.family.equals("directory") ? 636 : 22 : wish.port();
    if (row.port < 1 || row.port > 65535) {
      throw Problem.invalid("The port must lie between 1 and 65535.", "SSH servers use 22.");
    }
    row.propagationSeconds =
        wish.propagation() == null
            ? 0
            : Checks.duration(wish.propagation(), "propagation time", java.time.Duration.ZERO)
                .toSeconds();
    row.keysPath = "";
    if (row.family.equals("sftp_server")) {
      server(row, wish);
      return;
    }
    row.settings = settings(row.family, wish.settings());
    row.connectUser =
        row.family.equals("key_repository") && wish.user() == null
            ? "git"
            : Checks.optional(wish.user(), "user");
    switch (row.family) {
      case "key_repository" -> repository(row);
      case "directory" -> directory(row, wish);
      default -> row.takes = form(row.settings.get(FORM));
    }
  }

  private static void server(DestinationRow row, DestinationResource.DestinationWish wish) {
    row.managementLogin = emptyToNull(Checks.optional(wish.managementLogin(), "management login"));
    row.keysPath =
        wish.keysPath() == null
            ? ".ssh/authorized_keys"
            : Checks.text(wish.keysPath(), "path of the keys");
    if (row.managementLogin != null && !row.keysPath.contains(LOGIN)) {
      throw Problem.invalid(
          "With a management login the path of the keys must contain {login}.",
          "Give a path such as /home/{login}/.ssh/authorized_keys.");
    }
    row.logPath = emptyToNull(Checks.optional(wish.logPath(), "path of the sign-in log"));
  }

  private static Map<String, String> settings(String family, Map<String, String> wished) {
    Map<String, String> known = SETTINGS.get(family);
    Map<String, String> settings = new HashMap<>();
    Map<String, String> given = wished == null ? Map.of() : wished;
    for (Map.Entry<String, String> setting : given.entrySet()) {
      if (!known.containsKey(setting.getKey())
          || setting.getValue() == null
          || setting.getValue().length() > 20_000) {
        throw Problem.invalid(
            "There is no setting “" + setting.getKey() + "”, or it is too long.",
            "There are: " + String.join(", ", new TreeSet<>(known.keySet())) + ".");
      }
      settings.put(setting.getKey(), setting.getValue().strip());
    }
    for (Map.Entry<String, String> setting : known.entrySet()) {
      if (settings.getOrDefault(setting.getKey(), "").isEmpty()) {
        if (setting.getValue() == null) {
          throw Problem.invalid(
              "Nobody said its “" + setting.getKey() + "”.",
              "Give it with --setting " + setting.getKey() + "=….");
        }
        settings.put(setting.getKey(), setting.getValue());
      }
    }
    return settings;
  }

  private static void repository(DestinationRow row) {
    KeyRepository.flaw(row.settings.get(FILES))
        .ifPresent(
            flaw -> {
              throw Problem.invalid(
                  "The pattern of file names is not good: " + flaw,
                  "Give one such as keys/{login}.pub.");
            });
    Checks.oneOf(row.settings.get(SIGNED), List.of("yes", "no"), "setting signed");
    if (!row.settings.get(BRANCH).matches("[A-Za-z0-9][A-Za-z0-9._/-]{0,99}")
        || row.settings.get(BRANCH).contains("..")) {
      throw Problem.invalid("That is no name of a branch.", "Give one such as main.");
    }
  }

  private static void directory(DestinationRow row, DestinationResource.DestinationWish wish) {
    row.settings.compute(SECURITY, (name, value) -> value.toUpperCase(java.util.Locale.ROOT));
    Checks.oneOf(row.settings.get(SECURITY), List.of("LDAPS", "STARTTLS"), "setting security");
    if (!row.settings.get(FILTER).contains(LOGIN)) {
      throw Problem.invalid("The filter must contain {login}.", "Give one such as (uid={login}).");
    }
    if (!row.settings.get(ATTRIBUTE).matches("[A-Za-z][A-Za-z0-9-]*")) {
      throw Problem.invalid("That is no name of an attribute.", "Give its name in the schema.");
    }
    if (row.connectUser.isEmpty() || wish.secret() == null || wish.secret().isBlank()) {
      throw Problem.invalid(
          "A directory wants a user to bind as, and a secret.",
          "Give --user with its distinguished name and --secret-file.");
    }
  }

  private static String form(String word) {
    for (Form form : Form.values()) {
      if (form.word().equals(word)) {
        return word;
      }
    }
    throw Problem.invalid(
        "There is no form “" + word + "” of a public key.",
        "tolvin key give --help lists the forms.");
  }

  private static String emptyToNull(String text) {
    return text.isEmpty() ? null : text;
  }
}
