package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import tolvin.api.destination.DestinationRequest;
import tolvin.api.destination.FamilyView;
import tolvin.api.sheet.SettingView;
import tolvin.connectors.Families;
import tolvin.core.estate.Family;
import tolvin.core.key.PublicKey;
import tolvin.core.port.DestinationFamily;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.FamilyForm.Setting;
import tolvin.core.port.FamilyForm.With;
import tolvin.core.port.Login;
import tolvin.core.port.WrongSettingException;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.word.Words;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;

/** What is asked when a destination is attached whose family needs no sheet. */
@ApplicationScoped
class FamilyDestinations {
  private static final int LONGEST_SETTING = 20_000;
  private static final String USUAL_KEYS_PATH = ".ssh/authorized_keys";

  private final Families families;

  FamilyDestinations(Families families) {
    this.families = families;
  }

  /** Each family that is attached without a sheet, with what it asks for. */
  List<FamilyView> all() {
    return families.forms().stream().map(FamilyDestinations::view).toList();
  }

  private static FamilyView view(FamilyForm form) {
    return new FamilyView(
        form.family(),
        form.title(),
        form.port(),
        form.user().orElse(null),
        form.with() == With.SECRET,
        form.signsInElsewhere(),
        form.settings().stream()
            .map(
                s -> new SettingView(s.name(), s.about(), s.usual().orElse(null), s.severalLines()))
            .toList());
  }

  /**
   * Fills in a destination that is about to be added.
   *
   * @return what Tolvin connects with there
   */
  With fill(DestinationRow row, DestinationRequest request) {
    row.family = Checks.given(request.family(), "family");
    DestinationFamily family =
        families.withoutSheet(row.family).orElseThrow(() -> needsSheet(row.family));
    FamilyForm form = family.form().orElseThrow();
    row.host = Checks.text(request.host(), "host");
    row.port = request.port() == null ? form.port() : request.port();
    if (row.port < 1 || row.port > 65535) {
      throw Problem.invalid("The port must lie between 1 and 65535.", "SSH servers use 22.");
    }
    row.propagationSeconds =
        request.propagation() == null
            ? 0
            : Checks.duration(request.propagation(), "propagation time", Duration.ZERO).toSeconds();
    row.keysPath = "";
    if (row.hasFiles()) {
      row.managementLogin =
          emptyToNull(Checks.optional(request.managementLogin(), "management login"));
      row.keysPath =
          request.keysPath() == null
              ? USUAL_KEYS_PATH
              : Checks.text(request.keysPath(), "path of the keys");
      row.logPath = emptyToNull(Checks.optional(request.logPath(), "path of the sign-in log"));
    } else {
      row.connectUser =
          request.user() == null && form.user().isPresent()
              ? form.user().get()
              : Checks.optional(request.user(), "user");
    }
    set(row, family, request.settings(), Optional.ofNullable(request.secret()).orElse(""));
    return form.with();
  }

  /**
   * Changes settings of an SSH server.
   *
   * @param wished those that change; an empty text brings back what is usual
   */
  void change(DestinationRow row, Map<String, String> wished) {
    if (!row.hasFiles()) {
      throw Problem.invalid(
          "The settings of " + row.name + " were said when it was attached, and stay.",
          "Attach it anew with other ones.");
    }
    Map<String, String> all = new HashMap<>(row.settings);
    all.putAll(wished);
    set(row, families.withoutSheet(row.family).orElseThrow(), all, "");
  }

  private static void set(
      DestinationRow row, DestinationFamily family, Map<String, String> wished, String secret) {
    row.settings = settings(family.form().orElseThrow().settings(), wished);
    try {
      row.settings = family.check(new Asked(row, secret));
    } catch (WrongSettingException wrong) {
      throw Problem.invalid(wrong.getMessage(), wrong.remedy());
    }
    row.takes = family.takes(row.settings).word();
  }

  private static String emptyToNull(String text) {
    return text.isEmpty() ? null : text;
  }

  private Problem needsSheet(Family family) {
    return Problem.invalid(
        "A " + Words.said(family) + " is attached by its sheet.",
        "Name the sheet, or use one of: "
            + families.forms().stream()
                .map(form -> Words.of(form.family()))
                .collect(Collectors.joining(", "))
            + ".");
  }

  private static Map<String, String> settings(List<Setting> known, Map<String, String> wished) {
    Map<String, String> given = wished == null ? Map.of() : wished;
    List<String> names = known.stream().map(Setting::name).toList();
    for (Map.Entry<String, String> setting : given.entrySet()) {
      if (!names.contains(setting.getKey())
          || setting.getValue() == null
          || setting.getValue().length() > LONGEST_SETTING) {
        throw Problem.invalid(
            "There is no setting “" + setting.getKey() + "”, or it is too long.",
            "There are: " + String.join(", ", names) + ".");
      }
    }
    Map<String, String> settings = new HashMap<>();
    for (Setting setting : known) {
      String said = given.getOrDefault(setting.name(), "").strip();
      if (said.isEmpty() && setting.usual().isEmpty()) {
        throw Problem.invalid(
            "The setting “" + setting.name() + "” is missing: " + setting.about() + ".",
            "Give it with --setting " + setting.name() + "=….");
      }
      settings.put(setting.name(), said.isEmpty() ? setting.usual().get() : said);
    }
    return settings;
  }

  /** A destination that is asked for; nothing is reached through it. */
  private static final class Asked extends AttachedRow {
    private final String secret;

    Asked(DestinationRow row, String secret) {
      super(row);
      this.secret = secret;
    }

    @Override
    public String secret() {
      return secret;
    }

    @Override
    public Optional<SystemSheet> sheet() {
      return Optional.empty();
    }

    @Override
    public List<PublicKey> hostKeys() {
      return List.of();
    }

    @Override
    public Login login(String user) {
      throw new IllegalStateException(row.name + " is not attached yet");
    }
  }
}
