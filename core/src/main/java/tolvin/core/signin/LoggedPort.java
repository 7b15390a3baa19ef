package tolvin.core.signin;

import java.util.OptionalInt;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The client's port that a line of a server's log names: OpenSSH writes {@code port 51234} behind
 * an address, Dropbear {@code from <192.0.2.7:51234>}.
 */
public final class LoggedPort {
  private static final Pattern PORT =
      Pattern.compile(" port (\\d{1,5})(?!\\d)| from <?[0-9A-Fa-f:.%]{2,64}:(\\d{1,5})(?![\\d:.])");

  private LoggedPort() {}

  /** The first port that a line names; empty if it names none. */
  public static OptionalInt of(String line) {
    Matcher matcher = PORT.matcher(line);
    if (!matcher.find()) {
      return OptionalInt.empty();
    }
    String number = matcher.group(1) == null ? matcher.group(2) : matcher.group(1);
    return OptionalInt.of(Integer.parseInt(number));
  }
}
