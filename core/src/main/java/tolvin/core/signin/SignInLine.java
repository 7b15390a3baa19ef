package tolvin.core.signin;

import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;

/**
 * One successful sign-in with a key, from the line that an OpenSSH server writes after the
 * signature was checked ({@code Accepted publickey for …}). The line {@code Accepted key … found
 * at} comes before that check and is no use of the key.
 *
 * @param user the login
 * @param address where it came from
 * @param port the client's port there
 * @param key which key signed
 */
public record SignInLine(String user, String address, int port, Fingerprint key) {
  private static final Pattern FORM =
      Pattern.compile(
          "(?:^|.{0,200}?sshd(?:-session)?\\[\\d{1,10}]: )Accepted publickey for (.{1,256})"
              + " from ([0-9A-Fa-f.:%]{2,64}) port (\\d{1,5})"
              + " ssh2: [A-Za-z0-9-]{1,40} (SHA256:[A-Za-z0-9+/]{43})$");

  /**
   * Reads what the server itself wrote, without the header that a log puts before it; see {@link
   * LoggedSignIn} for whole lines.
   *
   * @return empty if it tells of no sign-in with a key
   */
  public static Optional<SignInLine> read(String line) {
    Matcher matcher = FORM.matcher(line);
    return matcher.matches()
        ? Optional.of(
            new SignInLine(
                matcher.group(1),
                matcher.group(2),
                Integer.parseInt(matcher.group(3)),
                new Fingerprint(matcher.group(4))))
        : Optional.empty();
  }
}
