package tolvin.connectors.sheet;

import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import tolvin.core.form.DerKeys;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.key.RefusedException;
import tolvin.core.pair.Signer;
import tolvin.core.port.Login;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.port.TrialPort.Way;
import tolvin.core.sheet.SystemSheet.TrialWay;
import tolvin.core.signin.Assertion;

/** Works out how somebody signs in to an account, by what its sheet says. */
public final class SheetTrials {
  private SheetTrials() {}

  /**
   * The attempt to make.
   *
   * @param reference the destination's own reference of the placement; may be empty
   * @param hostKeys the pinned host keys of the system's SSH server
   * @throws PortException if the sheet does not say how to sign in
   */
  public static Attempt attempt(
      OnSystem account, String reference, Signer signer, List<PublicKey> hostKeys)
      throws PortException {
    TrialWay way = way(account);
    Map<String, Object> values = values(account, reference, signer.key());
    String login = way.login().fill(values);
    String target = way.target().fill(values);
    String name = account.connection().name();
    if (way.way().equals("assertion")) {
      Server server = new Server(name, "", 0, List.of());
      return new Attempt(
          Way.ASSERTION,
          new Login(server, login, signer),
          target,
          Optional.empty(),
          Optional.of(
              new Assertion(
                  way.issuer().fill(values),
                  way.subject().fill(values),
                  way.audience().fill(values),
                  way.keyName().fill(values))));
    }
    Server server = server(account, hostKeys);
    return new Attempt(
        Way.valueOf(way.way().toUpperCase(Locale.ROOT)),
        new Login(server, login, signer),
        target,
        Optional.empty());
  }

  /**
   * The SSH server that a kind of account signs in to.
   *
   * @throws PortException if there is none
   */
  public static Server server(OnSystem account, List<PublicKey> hostKeys) throws PortException {
    Optional<String> address = address(account);
    String host = address.map(a -> a.replaceFirst(":\\d+$", "")).orElse("");
    String port = address.map(a -> a.substring(host.length())).orElse("");
    if (host.isEmpty()) {
      throw new PortException(
          Kind.NOT_ALLOWED,
          account.name() + " is not signed in to over SSH.",
          "Use the way that the sheet names.");
    }
    return new Server(
        account.connection().name(),
        host,
        port.isEmpty() ? 22 : Integer.parseInt(port.substring(1)),
        hostKeys);
  }

  /** Where a kind of account signs in over SSH, as host and port; empty if it does not. */
  public static Optional<String> address(OnSystem account) throws PortException {
    return SheetAccounts.kind(account)
        .trial()
        .map(way -> way.host().fill(values(account, "", null)))
        .filter(text -> !text.isEmpty());
  }

  /**
   * As whom somebody signs in to an account over SSH; empty if nobody does.
   *
   * @param reference the destination's own reference of the placement; may be empty
   */
  public static Optional<String> sshLogin(OnSystem account, String reference) throws PortException {
    return SheetAccounts.kind(account)
        .trial()
        .filter(way -> !way.way().equals("assertion"))
        .map(way -> way.login().fill(values(account, reference, null)));
  }

  private static TrialWay way(OnSystem account) throws PortException {
    return SheetAccounts.kind(account)
        .trial()
        .orElseThrow(
            () ->
                new PortException(
                    Kind.NOT_ALLOWED,
                    "The sheet of "
                        + account.connection().name()
                        + " does not say how somebody signs in.",
                    "Add “trial” to the kind of account in the sheet."));
  }

  private static Map<String, Object> values(OnSystem account, String reference, PublicKey key) {
    Map<String, Object> values = new HashMap<>(account.connection().settings());
    values.put("account", account.login());
    values.put("kind", account.kind());
    values.put("reference", reference);
    if (key != null) {
      values.put("fingerprint", key.fingerprintText());
      values.put("fingerprint-hex", Entries.hexadecimal(key));
      values.put("md5", Fingerprint.md5(key.blob()));
      values.put("spki-fingerprint", spki(key));
    }
    return values;
  }

  private static String spki(PublicKey key) {
    try {
      return "SHA256:"
          + java.util.Base64.getEncoder()
              .encodeToString(Fingerprint.sha256(DerKeys.writeSpki(key)));
    } catch (RefusedException noSpki) {
      return "";
    }
  }
}
