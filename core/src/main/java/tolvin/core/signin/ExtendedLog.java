package tolvin.core.signin;

import java.util.Base64;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;
import tolvin.core.signin.ConnectionEvent.SignIn;

/**
 * Sign-ins as ProFTPD records them when its configuration says how (mod_log, LogFormat and
 * ExtendedLog). Its module's own log cannot be relied on: whatever a client calls itself stands in
 * it, line feeds too. A record of this form holds nothing that a client chooses: the login is that
 * of the account, which is there only after the sign-in.
 */
public final class ExtendedLog {
  private static final String BEGINNING = "signed-in ";

  /**
   * The lines for the server's configuration.
   *
   * @param path the file that it is to write the records into
   */
  public static List<String> configuration(String path) {
    return List.of(
        "LogFormat signed-in \"signed-in %{%Y-%m-%dT%H:%M:%S%z}t %m %s %{SFTP_USER_AUTH_METHOD}e %a"
            + " %{remote-port} %{SFTP_USER_PUBLICKEY_FINGERPRINT_ALGO}e"
            + " %{SFTP_USER_PUBLICKEY_FINGERPRINT}e %u\"",
        "ExtendedLog " + path + " AUTH signed-in");
  }

  private static final Pattern RECORD =
      Pattern.compile(
          "signed-in (\\d{4}-\\S{1,36}) PASS 230 publickey (\\S{2,64}) (\\d{1,5}) SHA256"
              + " ([0-9a-f]{2}(?::[0-9a-f]{2}){31}) (.{1,256})");

  private ExtendedLog() {}

  /**
   * A record.
   *
   * @param time when, as it stands there
   */
  record Reported(ConnectionEvent event, String time) {}

  /** Reads a record; empty if a line is none, or tells of no sign-in with a key. */
  static Optional<Reported> read(String line) {
    if (!mayTell(line)) {
      return Optional.empty();
    }
    Matcher matcher = RECORD.matcher(line);
    return matcher.matches() && LoggedLine.isAddress(matcher.group(2), 0, matcher.group(2).length())
        ? Optional.of(
            new Reported(
                new SignIn(
                    matcher.group(5),
                    matcher.group(2),
                    Integer.parseInt(matcher.group(3)),
                    fingerprint(matcher.group(4))),
                matcher.group(1)))
        : Optional.empty();
  }

  /** Whether a line can be of interest at all. */
  static boolean mayTell(String line) {
    return line.startsWith(BEGINNING);
  }

  private static Fingerprint fingerprint(String hex) {
    byte[] digest = HexFormat.ofDelimiter(":").parseHex(hex);
    return new Fingerprint("SHA256:" + Base64.getEncoder().withoutPadding().encodeToString(digest));
  }
}
