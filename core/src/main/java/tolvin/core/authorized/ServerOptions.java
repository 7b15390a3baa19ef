package tolvin.core.authorized;

import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * The options before a key as OpenSSH's server reads them, which is more than sshd(8) promises:
 * upper case, empty elements, numbers with a sign, dates that do not exist (auth-options.c,
 * sshauthopt_parse, and misc.c of OpenSSH 9.2). A key that is let in through such a line has to be
 * seen.
 */
public final class ServerOptions {
  /**
   * Options without a value, and whether {@code no-} may stand before them, in the order of search.
   */
  private record Flag(String name, boolean negatable) {}

  private static final List<Flag> FLAGS =
      List.of(
          new Flag("restrict", false),
          new Flag("cert-authority", false),
          new Flag("port-forwarding", true),
          new Flag("agent-forwarding", true),
          new Flag("x11-forwarding", true),
          new Flag("touch-required", true),
          new Flag("verify-required", true),
          new Flag("pty", true),
          new Flag("user-rc", true));

  private static final List<String> VALUED =
      List.of(
          "command",
          "principals",
          "from",
          "expiry-time",
          "environment",
          "permitopen",
          "permitlisten",
          "tunnel");

  /** Options that may stand there once. */
  private static final List<String> ONCE = List.of("command", "principals", "from");

  private static final int MOST_ENVIRONMENT = 1024;
  private static final int MOST_PERMITTED = 4096;
  private static final int LONGEST_HOST = 1024;
  private static final long LARGEST_TUNNEL = 0x7ffffffdL;

  /** An option that no version known here has: a newer one may. */
  private static final Pattern ANOTHER = Pattern.compile("[A-Za-z0-9@.-]+(=\"(\\\\\"|[^\"])*\")?");

  /** A number as strtonum(3) takes it. */
  private static final Pattern NUMBER = Pattern.compile("[ \\t\\n\\u000b\\f\\r]*[+-]?\\d{1,18}");

  /** A service's name; what number it stands for is in a file of the server's (services(5)). */
  private static final Pattern SERVICE = Pattern.compile("[A-Za-z0-9][A-Za-z0-9_.+/-]*");

  /** The zone that reaches a date last. */
  private static final ZoneOffset LAST = ZoneOffset.ofHours(-12);

  private final String text;
  private int at;
  private String fault;
  private boolean isDoubtful;
  private boolean isAuthority;
  private final List<String> seen = new ArrayList<>();
  private Optional<SourceList> sources = Optional.empty();
  private Optional<Instant> end = Optional.empty();

  private ServerOptions(String text, int from) {
    this.text = text;
    this.at = from;
  }

  /**
   * Reads what stands before a key.
   *
   * @param line the line, one character for each byte
   * @param from where the options begin
   */
  public static ServerOptions read(String line, int from) {
    ServerOptions options = new ServerOptions(line, from);
    options.parse();
    return options;
  }

  /** Why the server ignores the line, as far as it is known for certain. */
  public Optional<String> fault() {
    return Optional.ofNullable(isDoubtful ? null : fault);
  }

  /** How far it read: behind what is at fault. */
  public int position() {
    return at;
  }

  /** Whether another version, or what stands in files of the server, may read it as something. */
  public boolean isDoubtful() {
    return isDoubtful;
  }

  /** Whether the key signs certificates instead of letting itself in. */
  public boolean isAuthority() {
    return isAuthority;
  }

  /** From where the key is let in; empty for everywhere. */
  public Optional<SourceList> sources() {
    return sources;
  }

  /**
   * When the key ends. Of a date without a zone, which is the server's local time, it is the last
   * moment that may be meant.
   */
  public Optional<Instant> end() {
    return end;
  }

  private boolean isEnd() {
    return at >= text.length() || text.charAt(at) == ' ' || text.charAt(at) == '\t';
  }

  private void parse() {
    while (!isEnd() && fault == null) {
      int start = at;
      if (!flag() && !valued()) {
        at = start;
      }
      if (fault != null || isEnd()) {
        break;
      }
      if (text.charAt(at) != ',') {
        unknown(start);
        break;
      }
      at++;
      if (at >= text.length()) {
        fault = "The options end with a comma.";
      }
    }
    if (fault == null && seen.contains("principals") && !isAuthority) {
      fault = "principals stands there without cert-authority; the server lets nobody in then.";
    }
    if (fault == null) {
      fault = sources.flatMap(SourceList::fault).orElse(null);
    }
  }

  private void unknown(int start) {
    Matcher another = ANOTHER.matcher(text).region(start, text.length());
    boolean isWhole =
        another.lookingAt()
            && (another.end() == text.length() || ", \t".indexOf(text.charAt(another.end())) >= 0);
    fault = "It has an option that the server does not know.";
    isDoubtful = isWhole && !isKnown(another.group());
  }

  /** Whether a name is one that servers have, but not written so. */
  private static boolean isKnown(String option) {
    String name = option.replaceAll("=.*", "").toLowerCase(Locale.ROOT).replaceAll("^no-", "");
    return VALUED.contains(name) || FLAGS.stream().anyMatch(flag -> flag.name().equals(name));
  }

  private boolean startsWith(String word, int from) {
    return text.regionMatches(true, from, word, 0, word.length());
  }

  private boolean flag() {
    for (Flag flag : FLAGS) {
      int from = flag.negatable() && startsWith("no-", at) ? at + 3 : at;
      if (startsWith(flag.name(), from)) {
        at = from + flag.name().length();
        isAuthority |= flag.name().equals("cert-authority");
        return true;
      }
    }
    return false;
  }

  private boolean valued() {
    for (String name : VALUED) {
      if (startsWith(name + "=", at)) {
        at += name.length() + 1;
        if (ONCE.contains(name) && seen.contains(name)) {
          fault = "The option " + name + " stands there twice.";
          return true;
        }
        seen.add(name);
        String value = dequoted();
        if (value != null) {
          check(name, value);
        }
        return true;
      }
    }
    return false;
  }

  private String dequoted() {
    if (at >= text.length() || text.charAt(at) != '"') {
      fault = "The option's value does not stand in double quotes.";
      return null;
    }
    at++;
    StringBuilder value = new StringBuilder();
    while (at < text.length() && text.charAt(at) != '"') {
      if (text.startsWith("\\\"", at)) {
        at++;
      }
      value.append(text.charAt(at));
      at++;
    }
    if (at >= text.length()) {
      fault = "The option's value has no closing quote.";
      return null;
    }
    at++;
    return value.toString();
  }

  private void check(String name, String value) {
    switch (name) {
      case "from" -> sources = Optional.of(SourceList.of(value));
      case "expiry-time" -> {
        Optional<Instant> moment = moment(value);
        if (moment.isEmpty()) {
          fault = "The value of expiry-time is no date that the server reads.";
        } else if (end.isEmpty() || moment.get().isBefore(end.get())) {
          end = moment;
        }
      }
      case "environment" -> {
        if (count(name) > MOST_ENVIRONMENT + 1) {
          fault = "There are too many environment options.";
        } else if (!value.matches("(?s)[A-Za-z0-9_]+=.*")) {
          fault = "The value of environment is not NAME=value.";
        }
      }
      case "permitopen" -> permitted(name, value);
      case "permitlisten" -> permitted(name, value.indexOf(':') < 0 ? "*:" + value : value);
      case "tunnel" -> {
        long device = number(value, LARGEST_TUNNEL);
        if (device < 0 && !value.equalsIgnoreCase("any")) {
          fault = "The value of tunnel is no number of a device.";
        }
      }
      default -> {
        // command and principals take any text
      }
    }
  }

  private long count(String name) {
    return seen.stream().filter(name::equals).count();
  }

  /** HOST:PORT, the host in brackets if it has colons; a slash may stand for the colon. */
  private void permitted(String name, String value) {
    int colon;
    if (value.startsWith("[")) {
      colon = value.indexOf(']') < 0 ? -1 : value.indexOf(']') + 1;
    } else {
      colon = first(value);
    }
    boolean isSplit =
        colon >= 0 && colon < value.length() && ":/".indexOf(value.charAt(colon)) >= 0;
    if (count(name) > MOST_PERMITTED + 1 || !isSplit || colon > LONGEST_HOST) {
      fault = "The value of " + name + " is not HOST:PORT.";
      return;
    }
    String port = value.substring(colon + 1);
    if (port.equals("*") || number(port, 65535) > 0) {
      return;
    }
    fault = "The value of " + name + " names no port.";
    // only letters make a name of a service; the server has a list of them
    isDoubtful = SERVICE.matcher(port).matches() && !port.matches("\\d+");
  }

  private static int first(String value) {
    for (int i = 0; i < value.length(); i++) {
      if (value.charAt(i) == ':' || value.charAt(i) == '/') {
        return i;
      }
    }
    return -1;
  }

  private static long number(String text, long most) {
    if (!NUMBER.matcher(text).matches()) {
      return -1;
    }
    long number = Long.parseLong(text.replaceAll("^[ \\t\\n\\u000b\\f\\r]*\\+?", ""));
    return number > most ? -1 : number;
  }

  /**
   * The moment that a value of expiry-time names, by the calendar's rules for days and hours too
   * many; fields may be padded with blanks instead of zeros (strptime(3), mktime(3)).
   */
  static Optional<Instant> moment(String value) {
    String digits = value;
    ZoneOffset zone = LAST;
    if (digits.length() > 1 && digits.toUpperCase(Locale.ROOT).endsWith("Z")) {
      digits = digits.substring(0, digits.length() - 1);
      zone = ZoneOffset.UTC;
    } else if (digits.length() > 3 && digits.toUpperCase(Locale.ROOT).endsWith("UTC")) {
      digits = digits.substring(0, digits.length() - 3);
      zone = ZoneOffset.UTC;
    }
    if (!List.of(8, 12, 14).contains(digits.length())) {
      return Optional.empty();
    }
    int[] lowest = {0, 1, 1, 0, 0, 0};
    int[] highest = {9999, 12, 31, 23, 59, 61};
    int[] fields = new int[6];
    int from = 0;
    for (int i = 0; from < digits.length(); i++) {
      int to = from + (i == 0 ? 4 : 2);
      String field = digits.substring(from, to).replaceFirst("^ +", "");
      if (!field.matches("\\d+")) {
        return Optional.empty();
      }
      fields[i] = Integer.parseInt(field);
      if (fields[i] < lowest[i] || fields[i] > highest[i]) {
        return Optional.empty();
      }
      from = to;
    }
    Instant moment =
        LocalDateTime.of(fields[0], fields[1], 1, 0, 0)
            .plusDays(fields[2] - 1L)
            .plusHours(fields[3])
            .plusMinutes(fields[4])
            .plusSeconds(fields[5])
            .toInstant(zone);
    return Optional.of(moment).filter(m -> m.isAfter(Instant.EPOCH));
  }
}
