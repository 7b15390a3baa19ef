package tolvin.core.signin;

import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;
import tolvin.core.signin.ConnectionEvent.End;
import tolvin.core.signin.ConnectionEvent.Refusal;
import tolvin.core.signin.ConnectionEvent.SignIn;

/**
 * What Dropbear's server says of connections with a key (2022.83; svr-authpubkey.c,
 * svr_auth_pubkey, and svr-session.c, svr_dropbear_exit). The logins in it are those of accounts
 * that there are.
 */
final class DropbearLog {
  private static final String ACCEPTED = "Pubkey auth succeeded for '";
  private static final String REFUSED = "Pubkey auth bad signature for '";
  private static final String ENDED = "Exit (";

  /** One of these stands in each of them. */
  static final List<String> HINTS = List.of("Pubkey auth ", ENDED);

  /** How what it says begins. */
  static final List<String> BEGINNINGS = List.of(ACCEPTED, REFUSED, ENDED);

  /** A login may look like any of it; the server's own words are the last ones. */
  private static final Pattern WITH_KEY =
      Pattern.compile(
          "(.{1,256})' with (?:[A-Za-z0-9@.-]{1,64} )?key (SHA256:[A-Za-z0-9+/]{43}) from"
              + " (\\S{2,64}):(\\d{1,5})");

  private static final Pattern EXIT =
      Pattern.compile("(.{1,256})\\) from <(\\S{2,64}):(\\d{1,5})>: .*");

  private DropbearLog() {}

  /** What a message reports; empty if it is nothing of that kind. */
  static Optional<ConnectionEvent> event(String message) {
    if (message.startsWith(ENDED)) {
      return peer(EXIT, message.substring(ENDED.length()), 2)
          .map(m -> new End(m.group(1), m.group(2), Integer.parseInt(m.group(3))));
    }
    boolean isAccepted = message.startsWith(ACCEPTED);
    return peer(WITH_KEY, message.substring((isAccepted ? ACCEPTED : REFUSED).length()), 3)
        .filter(m -> Fingerprint.isOne(m.group(2)))
        .map(m -> isAccepted ? signIn(m) : refusal(m));
  }

  private static ConnectionEvent signIn(Matcher m) {
    return new SignIn(
        m.group(1), m.group(3), Integer.parseInt(m.group(4)), new Fingerprint(m.group(2)));
  }

  private static ConnectionEvent refusal(Matcher m) {
    return new Refusal(
        m.group(1), m.group(3), Integer.parseInt(m.group(4)), new Fingerprint(m.group(2)));
  }

  private static Optional<Matcher> peer(Pattern form, String text, int address) {
    Matcher matcher = form.matcher(text);
    return matcher.matches()
            && LoggedLine.isAddress(matcher.group(address), 0, matcher.group(address).length())
        ? Optional.of(matcher)
        : Optional.empty();
  }
}
