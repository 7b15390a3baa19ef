package tolvin.core.signin;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeFormatterBuilder;
import java.time.temporal.ChronoField;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tolvin.core.key.Fingerprint;
import tolvin.core.signin.ConnectionEvent.End;
import tolvin.core.signin.ConnectionEvent.Refusal;
import tolvin.core.signin.ConnectionEvent.SignIn;

/**
 * A line of a server's log that tells of a connection, with what the log's own header says. Known
 * headers are the one of RFC 5424 section 6, the older one of RFC 3164 section 4.1 (also with a
 * timestamp of RFC 3339 or ISO 8601, as Debian and journalctl write it), and what a server writes
 * into a file of its own: none by {@code sshd -E}, process and time by {@code dropbear -E}, and the
 * records of {@link ExtendedLog}.
 *
 * <p>A header is taken word for word from the beginning of the line, with the name of the program
 * whose words follow, so that a login that was made up to look like a line of its own is never
 * taken for one.
 *
 * @param event what the server itself says
 * @param at when, by the clock of whoever wrote the line; empty if the line does not tell
 * @param host which host says so; empty if the line does not tell
 * @param digest 64 bits that are the same for the same line, and for no other; 0 if the line does
 *     not tell the time, since it cannot be told from another one then
 */
public record LoggedLine(ConnectionEvent event, Optional<Instant> at, String host, long digest) {
  private static final int LONGEST = 2000;

  private static final String ACCEPTED = "Accepted publickey for ";
  private static final String FAILED = "Failed publickey for ";

  private static final String PRINT = " SHA256:";
  private static final int PRINT_LENGTH = PRINT.length() + 43;
  private static final int LONGEST_LOGIN = 256;
  private static final int NO_OFFSET = Integer.MAX_VALUE;
  private static final int[] POWERS_OF_TEN = {
    1, 10, 100, 1_000, 10_000, 100_000, 1_000_000, 10_000_000, 100_000_000
  };

  /** What a server says, and how a log calls it. */
  private enum Program {
    OPENSSH(
        "sshd(?:-session)?",
        "()()",
        List.of(" publickey for ", " user "),
        List.of(
            ACCEPTED,
            FAILED,
            "Disconnected from user ",
            "Connection closed by user ",
            "Connection reset by user ",
            "Timeout, client not responding from user ")),
    DROPBEAR(
        "dropbear",
        "\\[\\d{1,10}\\] ([A-Z][a-z]{2} \\d\\d \\d\\d:\\d\\d:\\d\\d) ()",
        DropbearLog.HINTS,
        DropbearLog.BEGINNINGS);

    /** RFC 5424: priority, version, time, host, program, process, message id, structured data. */
    private final Pattern full;

    /** RFC 3164, with or without its priority. */
    private final Pattern old;

    /** What it writes into a file of its own before its words: the time. */
    private final Pattern own;

    /** One of these stands in what it says of a connection with a key. */
    private final List<String> hints;

    /** How that begins, behind the header. */
    private final List<String> beginnings;

    Program(String name, String own, List<String> hints, List<String> beginnings) {
      this.full =
          Pattern.compile(
              "<\\d{1,3}>1 (\\S{1,40}) (\\S{1,255}) "
                  + name
                  + " \\S{1,128} \\S{1,32} (?:-|\\[[^\\]]{0,500}\\]) (?:\uFEFF|\u00EF\u00BB\u00BF)?");
      this.old =
          Pattern.compile(
              "(?:<\\d{1,3}>)?"
                  + "([A-Z][a-z]{2} [ \\d]\\d \\d\\d:\\d\\d:\\d\\d|\\d{4}-\\S{1,36})"
                  + " (\\S{1,255}) "
                  + name
                  + "\\[\\d{1,10}\\]: ");
      this.own = Pattern.compile(own);
      this.hints = hints;
      this.beginnings = beginnings;
    }

    /** Where the first of what it may say begins; -1 if there is none. */
    int beginning(String line) {
      if (!isHintedAt(line)) {
        return -1; // most lines, by few looks
      }
      int first = -1;
      for (String beginning : beginnings) {
        int at = line.indexOf(beginning);
        first = at >= 0 && (first < 0 || at < first) ? at : first;
      }
      return first;
    }

    private boolean isHintedAt(String line) {
      for (String hint : hints) {
        if (line.contains(hint)) {
          return true;
        }
      }
      return false;
    }

    /** The header's time and host. */
    Optional<Matcher> header(String header) {
      for (Pattern form : header.contains(">1 ") ? List.of(full) : List.of(own, old)) {
        Matcher matcher = form.matcher(header);
        if (matcher.matches()) {
          return Optional.of(matcher);
        }
      }
      return Optional.empty();
    }

    Optional<ConnectionEvent> event(String message) {
      return this == DROPBEAR ? DropbearLog.event(message) : LoggedLine.event(message);
    }
  }

  /** ISO 8601 with any of its offsets: Z, +01, +0100, +01:00. */
  private static final DateTimeFormatter MOMENT =
      new DateTimeFormatterBuilder()
          .append(DateTimeFormatter.ISO_LOCAL_DATE_TIME)
          .appendPattern("[XXX][XX][X]")
          .toFormatter(Locale.ENGLISH);

  /** Reads a line; one whose time has no zone is taken to tell it in UTC. */
  public static Optional<LoggedLine> read(String line, Instant now) {
    return read(line, now, ZoneOffset.UTC);
  }

  /**
   * Reads a line.
   *
   * @param line without its line end
   * @param now when it is read, by which the year is told that old headers lack
   * @param zone in which whoever wrote it tells the time where the line names none
   * @return empty if it tells of no connection with a key
   */
  public static Optional<LoggedLine> read(String line, Instant now, ZoneId zone) {
    if (line.length() > LONGEST) {
      return Optional.empty();
    }
    for (Program program : Program.values()) {
      int message = program.beginning(line);
      Optional<Matcher> header =
          message < 0 ? Optional.empty() : program.header(line.substring(0, message));
      Optional<ConnectionEvent> event =
          header.isEmpty() ? Optional.empty() : program.event(line.substring(message));
      if (event.isPresent()) {
        String time = header.get().group(1);
        Optional<Instant> at = time.isEmpty() ? Optional.empty() : moment(time, now, zone);
        return Optional.of(dated(line, event.get(), at, header.get().group(2)));
      }
    }
    return ExtendedLog.read(line)
        .map(record -> dated(line, record.event(), moment(record.time(), now, zone), ""));
  }

  private static LoggedLine dated(
      String line, ConnectionEvent event, Optional<Instant> at, String host) {
    return new LoggedLine(event, at, host, at.isEmpty() ? 0 : digest(line));
  }

  private static Optional<ConnectionEvent> event(String message) {
    if (message.startsWith(ACCEPTED)) {
      return withKey(message.substring(ACCEPTED.length()), SignIn::new);
    }
    if (message.startsWith(FAILED)) {
      return withKey(message.substring(FAILED.length()), Refusal::new);
    }
    return Program.OPENSSH.beginnings.stream()
        .filter(message::startsWith)
        .findFirst()
        .flatMap(beginning -> peer(message.substring(beginning.length()), " "))
        .map(p -> new End(p.user(), p.address(), p.port()));
  }

  /** An event that names a key. */
  private interface WithKey {
    ConnectionEvent of(String user, String address, int port, Fingerprint key);
  }

  /** {@code LOGIN from ADDRESS port N ssh2: TYPE FINGERPRINT}; it is told from its end. */
  private static Optional<ConnectionEvent> withKey(String text, WithKey event) {
    int print = text.length() - PRINT_LENGTH;
    int type = text.lastIndexOf(" ssh2: ", print);
    if (type < 0 || !isType(text, type + " ssh2: ".length(), print)) {
      return Optional.empty();
    }
    String key = text.substring(print + 1);
    return Fingerprint.isOne(key)
        ? peer(text.substring(0, type), " from ")
            .map(p -> event.of(p.user(), p.address(), p.port(), new Fingerprint(key)))
        : Optional.empty();
  }

  private static boolean isType(String text, int from, int to) {
    for (int i = from; i < to; i++) {
      char c = text.charAt(i);
      if (!(c == '-' || c < 128 && Character.isLetterOrDigit(c))) {
        return false;
      }
    }
    return to > from && to - from <= 40;
  }

  /** Who is at the other end. */
  private record Peer(String user, String address, int port) {}

  /**
   * {@code LOGIN from ADDRESS port N}. A login may look like any of it; the server's own words are
   * the last ones.
   */
  private static Optional<Peer> peer(String text, String between) {
    int port = text.lastIndexOf(" port ");
    int address = port < 0 ? -1 : text.lastIndexOf(' ', port - 1) + 1;
    int login = address - between.length();
    if (login < 1
        || login > LONGEST_LOGIN
        || !text.startsWith(between, login)
        || !isAddress(text, address, port)) {
      return Optional.empty();
    }
    int number = port + " port ".length();
    int digits = text.length() - number;
    int value = digits < 1 || digits > 5 ? -1 : number(text, number, digits);
    return value < 0
        ? Optional.empty()
        : Optional.of(new Peer(text.substring(0, login), text.substring(address, port), value));
  }

  /** An IPv4 or IPv6 address; behind a percent sign, the interface of a link-local one. */
  static boolean isAddress(String text, int from, int to) {
    boolean zone = false;
    for (int i = from; i < to; i++) {
      char c = text.charAt(i);
      boolean good =
          c == '.'
              || c == ':'
              || c >= '0' && c <= '9'
              || c >= 'a' && c <= 'f'
              || c >= 'A' && c <= 'F';
      if (!good && !(zone && (c == '-' || c == '_' || c < 128 && Character.isLetter(c)))) {
        if (zone || c != '%') {
          return false;
        }
        zone = true;
      }
    }
    return to - from >= 2 && to - from <= 64;
  }

  /** A number of some digits; -1 if it is none. */
  private static int number(String text, int from, int digits) {
    int value = 0;
    for (int i = from; i < from + digits; i++) {
      int digit = text.charAt(i) - '0';
      if (digit < 0 || digit > 9) {
        return -1;
      }
      value = value * 10 + digit;
    }
    return value;
  }

  /** The sign-in that it tells of; empty if it tells of something else. */
  public Optional<SignIn> signIn() {
    return event instanceof SignIn signIn ? Optional.of(signIn) : Optional.empty();
  }

  /**
   * Whether a line can be of interest at all, found out cheaply: whoever sends many lines need not
   * send the others.
   */
  public static boolean mayTell(String line) {
    for (Program program : Program.values()) {
      if (program.beginning(line) >= 0) {
        return true;
      }
    }
    return ExtendedLog.mayTell(line);
  }

  private static Optional<Instant> moment(String text, Instant now, ZoneId zone) {
    try {
      if (text.charAt(0) >= '0' && text.charAt(0) <= '9') {
        return quickly(text)
            .or(() -> Optional.of(ZonedDateTime.parse(text, MOMENT.withZone(zone)).toInstant()));
      }
      int year = now.atZone(zone).getYear();
      Instant at = LocalDateTime.parse(text, withoutYear(year)).atZone(zone).toInstant();
      return Optional.of(
          at.isAfter(now.plusSeconds(86_400))
              ? LocalDateTime.parse(text, withoutYear(year - 1)).atZone(zone).toInstant()
              : at);
    } catch (DateTimeException notATime) {
      return Optional.empty();
    }
  }

  /**
   * The form of RFC 3339 section 5.6 in which all logs write, without the cost of the general one;
   * empty for any other.
   */
  private static Optional<Instant> quickly(String text) {
    if (text.length() < 20
        || text.charAt(4) != '-'
        || text.charAt(7) != '-'
        || text.charAt(10) != 'T'
        || text.charAt(13) != ':'
        || text.charAt(16) != ':') {
      return Optional.empty();
    }
    int zone = 19;
    int nanos = 0;
    if (text.charAt(zone) == '.') {
      int digits = 0;
      while (++zone < text.length() && number(text, zone, 1) >= 0) {
        digits++;
      }
      if (digits < 1 || digits > 9) {
        return Optional.empty();
      }
      nanos = number(text, 20, digits) * POWERS_OF_TEN[9 - digits];
    }
    int offset = offset(text, zone);
    int[] parts = new int[6];
    for (int i = 0; i < parts.length; i++) {
      parts[i] = i == 0 ? number(text, 0, 4) : number(text, 2 + 3 * i, 2);
      if (parts[i] < 0) {
        return Optional.empty();
      }
    }
    return offset == NO_OFFSET
        ? Optional.empty()
        : Optional.of(
            LocalDateTime.of(parts[0], parts[1], parts[2], parts[3], parts[4], parts[5], nanos)
                .toInstant(ZoneOffset.ofTotalSeconds(offset)));
  }

  /** The seconds of {@code Z} or {@code +hh:mm} at the end of a text. */
  private static int offset(String text, int at) {
    int length = text.length() - at;
    if (length == 1 && text.charAt(at) == 'Z') {
      return 0;
    }
    if (length != 6 || text.charAt(at + 3) != ':') {
      return NO_OFFSET;
    }
    int hours = number(text, at + 1, 2);
    int minutes = number(text, at + 4, 2);
    int sign = text.charAt(at) == '+' ? 1 : text.charAt(at) == '-' ? -1 : 0;
    return sign == 0 || hours < 0 || minutes < 0 || minutes > 59
        ? NO_OFFSET
        : sign * (hours * 3600 + minutes * 60);
  }

  private static DateTimeFormatter withoutYear(int year) {
    return new DateTimeFormatterBuilder()
        .appendPattern("MMM ppd HH:mm:ss")
        .parseDefaulting(ChronoField.YEAR, year)
        .toFormatter(Locale.ENGLISH);
  }

  private static long digest(String line) {
    try {
      byte[] hash =
          MessageDigest.getInstance("SHA-256").digest(line.getBytes(StandardCharsets.UTF_8));
      return ByteBuffer.wrap(hash).getLong() | 1;
    } catch (NoSuchAlgorithmException impossible) {
      throw new IllegalStateException("every Java platform has SHA-256", impossible);
    }
  }
}
