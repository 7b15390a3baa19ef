package tolvin.service.destination;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import tolvin.api.destination.DestinationRequest;
import tolvin.api.destination.FamilyView;
import tolvin.api.sheet.SettingView;
import tolvin.core.estate.Family;
import tolvin.core.form.Form;
import tolvin.core.port.KeyRepository;
import tolvin.core.word.Words;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;

/**
 * What is particular about destinations that Tolvin knows how to talk to by itself: SSH servers,
 * key repositories, directories, and partners that it cannot talk to.
 */
final class OwnFamilies {
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

  /** Each, with what is asked when one is attached. */
  static final List<FamilyView> ALL =
      List.of(
          new FamilyView(
              Family.SFTP_SERVER,
              "SSH server, with keys in files",
              22,
              null,
              false,
              false,
              List.of()),
          new FamilyView(
              Family.KEY_REPOSITORY,
              "Key repository, with keys in files of a git repository",
              22,
              "git",
              false,
              true,
              List.of(
                  needed(PATH, "the repository's path, as git gives it to the server"),
                  usual(BRANCH, "the branch that counts", "main"),
                  usual(
                      FILES,
                      "the names of an account's files; {login}, and {key} for a file each",
                      "keys/{login}.pub"),
                  usual(AUTHOR, "who commits", "Tolvin <tolvin@localhost>"),
                  usual(SIGNED, "whether commits are signed, yes or no", "no"))),
          new FamilyView(
              Family.DIRECTORY,
              "Directory, with keys on people's entries (LDAP)",
              636,
              "",
              true,
              true,
              List.of(
                  needed(BASE, "the entry below which people are"),
                  usual(FILTER, "how the entry of a login is found", "(uid={login})"),
                  needed(ATTRIBUTE, "the attribute with the keys"),
                  usual(OBJECT_CLASS, "the class that an entry needs for it", ""),
                  usual(SECURITY, "LDAPS or STARTTLS", "LDAPS"),
                  new SettingView(
                      TRUSTED,
                      "the certificate, in PEM, that the directory's own is checked with",
                      null,
                      true))),
          new FamilyView(
              Family.PARTNER,
              "Partner, whose server only they can change",
              22,
              null,
              false,
              false,
              List.of(
                  needed(TO_WHOM, "the person who is asked there"),
                  needed(CONTACT, "how they are reached, from a list of your own"),
                  usual(
                      FORM,
                      "the form of a key that they take: rfc4716, one-line, spki, …",
                      Form.AUTHORIZED_KEYS.word()))));

  private OwnFamilies() {}

  private static SettingView needed(String name, String about) {
    return new SettingView(name, about, null, false);
  }

  private static SettingView usual(String name, String about, String usual) {
    return new SettingView(name, about, usual, false);
  }

  /** Fills in a destination that is about to be added. */
  static void fill(DestinationRow row, DestinationRequest request) {
    row.family = Checks.given(request.family(), "family");
    FamilyView family = family(row.family);
    row.host = Checks.text(request.host(), "host");
    row.takes = Form.AUTHORIZED_KEYS.word();
    row.port = request.port() == null ? family.port() : request.port();
    if (row.port < 1 || row.port > 65535) {
      throw Problem.invalid("The port must lie between 1 and 65535.", "SSH servers use 22.");
    }
    row.propagationSeconds =
        request.propagation() == null
            ? 0
            : Checks.duration(request.propagation(), "propagation time", java.time.Duration.ZERO)
                .toSeconds();
    row.keysPath = "";
    if (row.family == Family.SFTP_SERVER) {
      server(row, request);
      return;
    }
    row.settings = settings(family.settings(), request.settings());
    row.connectUser =
        request.user() == null && family.user() != null
            ? family.user()
            : Checks.optional(request.user(), "user");
    switch (row.family) {
      case KEY_REPOSITORY -> repository(row);
      case DIRECTORY -> directory(row, request);
      default -> row.takes = form(row.settings.get(FORM));
    }
  }

  private static void server(DestinationRow row, DestinationRequest request) {
    row.managementLogin =
        emptyToNull(Checks.optional(request.managementLogin(), "management login"));
    row.keysPath =
        request.keysPath() == null
            ? ".ssh/authorized_keys"
            : Checks.text(request.keysPath(), "path of the keys");
    if (row.managementLogin != null && !row.keysPath.contains(LOGIN)) {
      throw Problem.invalid(
          "With a management login the path of the keys must contain {login}.",
          "Give a path such as /home/{login}/.ssh/authorized_keys.");
    }
    row.logPath = emptyToNull(Checks.optional(request.logPath(), "path of the sign-in log"));
  }

  private static FamilyView family(Family family) {
    return ALL.stream()
        .filter(view -> view.family() == family)
        .findFirst()
        .orElseThrow(
            () ->
                Problem.invalid(
                    "A " + Words.said(family) + " is attached by its sheet.",
                    "Name the sheet, or use one of: "
                        + ALL.stream()
                            .map(view -> Words.of(view.family()))
                            .collect(Collectors.joining(", "))
                        + "."));
  }

  private static Map<String, String> settings(List<SettingView> known, Map<String, String> wished) {
    Map<String, String> given = wished == null ? Map.of() : wished;
    List<String> names = known.stream().map(SettingView::name).toList();
    for (Map.Entry<String, String> setting : given.entrySet()) {
      if (!names.contains(setting.getKey())
          || setting.getValue() == null
          || setting.getValue().length() > 20_000) {
        throw Problem.invalid(
            "There is no setting “" + setting.getKey() + "”, or it is too long.",
            "There are: " + String.join(", ", names) + ".");
      }
    }
    Map<String, String> settings = new HashMap<>();
    for (SettingView setting : known) {
      String said = given.getOrDefault(setting.name(), "").strip();
      if (said.isEmpty() && setting.usual() == null) {
        throw Problem.invalid(
            "The setting “" + setting.name() + "” is missing: " + setting.about() + ".",
            "Give it with --setting " + setting.name() + "=….");
      }
      settings.put(setting.name(), said.isEmpty() ? setting.usual() : said);
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

  private static void directory(DestinationRow row, DestinationRequest request) {
    row.settings.compute(SECURITY, (name, value) -> value.toUpperCase(java.util.Locale.ROOT));
    Checks.oneOf(row.settings.get(SECURITY), List.of("LDAPS", "STARTTLS"), "setting security");
    if (!row.settings.get(FILTER).contains(LOGIN)) {
      throw Problem.invalid("The filter must contain {login}.", "Give one such as (uid={login}).");
    }
    if (!row.settings.get(ATTRIBUTE).matches("[A-Za-z][A-Za-z0-9-]*")) {
      throw Problem.invalid("That is no name of an attribute.", "Give its name in the schema.");
    }
    if (row.connectUser.isEmpty() || request.secret() == null || request.secret().isBlank()) {
      throw Problem.invalid(
          "A directory wants a user to bind as, and a secret.",
          "Give --user with its distinguished name and --secret-file.");
    }
  }

  private static String form(String word) {
    return Form.ofWord(word)
        .map(Form::word)
        .orElseThrow(
            () ->
                Problem.invalid(
                    "There is no form “" + word + "” of a public key.",
                    "tolvin key give --help lists the forms."));
  }

  private static String emptyToNull(String text) {
    return text.isEmpty() ? null : text;
  }
}
