package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.Base64;
import java.util.HashMap;
import java.util.Map;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.UUID;
import tolvin.api.destination.DestinationRequest;
import tolvin.connectors.sheet.SheetTrials;
import tolvin.core.form.Form;
import tolvin.core.port.Connection;
import tolvin.core.port.FamilyForm;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.core.sheet.SystemSheet.Connects;
import tolvin.service.coffer.Coffer;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.sheet.Sheets;

/** What is particular about destinations that a sheet describes. */
@ApplicationScoped
public class SystemDestinations {
  private static final int LONGEST_SETTING = 10_000;
  private static final String IN_BASE64 = "base64:";

  private final Sheets sheets;
  private final Coffer coffer;

  SystemDestinations(Sheets sheets, Coffer coffer) {
    this.sheets = sheets;
    this.coffer = coffer;
  }

  /**
   * Fills in a destination that is about to be added.
   *
   * @return what Tolvin connects with there
   */
  FamilyForm.With fill(DestinationRow row, DestinationRequest request) {
    SystemSheet sheet = sheets.of(request.sheetId());
    row.sheetId = request.sheetId();
    row.family = sheet.family();
    row.address = address(sheet, request.address());
    row.settings = settings(sheet, request.settings());
    row.connectUser = Checks.optional(request.user(), "user");
    row.keysPath = "";
    row.secretEndsAt = request.secretEndsAt();
    row.takes =
        sheet.accounts().values().stream()
            .findFirst()
            .map(kind -> kind.ability().form().word())
            .orElse(Form.ONE_LINE.word());
    row.propagationSeconds =
        sheet.accounts().values().stream()
            .map(kind -> kind.ability().propagation())
            .max(Duration::compareTo)
            .orElse(Duration.ZERO)
            .toSeconds();
    demandSecret(sheet, request.secret());
    row.host = "";
    row.port = 0;
    for (Map.Entry<String, AccountKind> kind : sheet.accounts().entrySet()) {
      Connection there =
          new Connection(row.name, sheet, row.address, row.settings, row.connectUser, "");
      try {
        OnSystem any = new OnSystem(there, kind.getKey(), "x", "");
        if (SheetTrials.address(any).isPresent()) {
          var server = SheetTrials.server(any, java.util.List.of());
          row.host = server.host();
          row.port = server.port();
        }
      } catch (PortException | NumberFormatException wrong) {
        throw Problem.invalid(
            "The SSH server that the sheet names cannot be made out.",
            "Give it as host:port, such as code.skerrymoor.example:22.");
      }
    }
    return sheet.connects().with() == Connects.With.NOTHING
        ? FamilyForm.With.NOTHING
        : FamilyForm.With.SECRET;
  }

  /**
   * Keeps the secret that Tolvin connects with, in place of the one before. A client certificate
   * with its private key comes in base64, since private keys are refused wherever else they come
   * in.
   */
  @Transactional(Transactional.TxType.MANDATORY)
  void keepSecret(UUID destination, String secret) {
    if (secret == null || secret.isEmpty()) {
      return;
    }
    String plain = secret.strip();
    if (plain.startsWith(IN_BASE64)) {
      try {
        byte[] bytes = Base64.getMimeDecoder().decode(plain.substring(IN_BASE64.length()));
        plain = new String(bytes, StandardCharsets.UTF_8);
      } catch (IllegalArgumentException wrong) {
        throw Problem.invalid("The secret is not in base64.", "Encode the PEM text in base64.");
      }
    }
    coffer.keepText(Coffer.CONNECTION_SECRET, destination, plain);
  }

  private static void demandSecret(SystemSheet sheet, String secret) {
    if (sheet.connects().with() != Connects.With.NOTHING && (secret == null || secret.isBlank())) {
      throw Problem.invalid(
          sheet.system() + " wants a secret, and none was given.",
          "Give it with --secret-file, or in the field for it.");
    }
  }

  private static String address(SystemSheet sheet, String wished) {
    String address = Checks.text(wished, "address").replaceAll("/+$", "");
    if (sheet.speech() == SystemSheet.Speech.SQL) {
      if (!address.startsWith("jdbc:postgresql://")) {
        throw Problem.invalid(
            "The address of a database begins with jdbc:postgresql://.",
            "Give one such as jdbc:postgresql://lake.skerrymoor.example:5432/lake.");
      }
      return address;
    }
    try {
      URI uri = new URI(address);
      boolean good =
          ("https".equals(uri.getScheme()) || "http".equals(uri.getScheme()))
              && uri.getHost() != null
              && uri.getRawQuery() == null
              && uri.getRawUserInfo() == null;
      if (good || sheet.speech() == SystemSheet.Speech.CONNECTOR) {
        return address;
      }
    } catch (java.net.URISyntaxException wrong) {
      // said below
    }
    throw Problem.invalid(
        "“" + address + "” is not an address that Tolvin can send requests to.",
        "Give one such as https://code.skerrymoor.example, without user, ? and #.");
  }

  private static Map<String, String> settings(SystemSheet sheet, Map<String, String> wished) {
    Map<String, String> given = wished == null ? Map.of() : wished;
    Map<String, String> settings = new HashMap<>();
    for (Map.Entry<String, String> setting : given.entrySet()) {
      boolean known =
          sheet.settings().containsKey(setting.getKey())
              || setting.getKey().equals("trusted-certificate");
      if (!known || setting.getValue() == null || setting.getValue().length() > LONGEST_SETTING) {
        throw Problem.invalid(
            "The sheet knows no setting “" + setting.getKey() + "”, or it is too long.",
            "It has: " + String.join(", ", new TreeSet<>(sheet.settings().keySet())) + ".");
      }
      settings.put(setting.getKey(), setting.getValue().strip());
    }
    new TreeMap<>(sheet.settings())
        .forEach(
            (name, setting) -> {
              if (setting.usual().isEmpty() && !settings.containsKey(name)) {
                throw Problem.invalid(
                    "The sheet asks for the setting “" + name + "”: " + setting.about(),
                    "Give it with --setting " + name + "=….");
              }
            });
    return settings;
  }

  /** The kind of a new account, and how many keys it holds unless less is said. */
  public String kind(DestinationRow at, String wished) {
    Map<String, AccountKind> kinds = sheets.of(at.sheetId).accounts();
    if (kinds.isEmpty()) {
      throw Problem.invalid(
          at.name + " has no accounts that keys are placed on, only seats.",
          "Add a seat to an integration instead.");
    }
    if (wished == null && kinds.size() == 1) {
      return kinds.keySet().iterator().next();
    }
    return Checks.oneOf(wished, java.util.List.copyOf(kinds.keySet()), "kind");
  }

  /** How many keys an account of a kind holds. */
  public int slots(DestinationRow at, String kind) {
    return sheets.of(at.sheetId).accounts().get(kind).ability().slots();
  }
}
