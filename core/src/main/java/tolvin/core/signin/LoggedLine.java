package tolvin.core.signin;

import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
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
 * A line of an OpenSSH server's log that tells of a connection, with what the log's own header
 * says. Three headers are known: the one of RFC 5424 section 6, the older one of RFC 3164 section
 * 4.1 (also with a timestamp of RFC 3339 or ISO 8601, as Debian and journalctl write it), and none,
 * as {@code sshd -E} writes.
 *
 * <p>A header is taken word for word from the beginning of the line, so that a login that was made
 * up to look like a line of its own is never taken for one.
 *
 * @param event what the server itself says
 * @param at when, by the clock of whoever wrote the line, in UTC where it names no zone; empty if
 *     the line does not tell
 * @param host which host says so; empty if the line does not tell
 * @param digest 64 bits that are the same for the same line, and for no other; 0 if the line does
 *     not tell the time, since it cannot be told from another one then
 */
public record LoggedLine(ConnectionEvent event, Optional<Instant> at, String host, long digest) {
  private static final int LONGEST = 2000;

  /** How what the server writes itself begins, behind the header. */
  private static final List<String> BEGINNINGS =
      List.of(
          "Accepted publickey for ",
          "Failed publickey for ",
          "Disconnected from user ",
          "Connection closed by user ",
          "Connection reset by user ",
          "Timeout, client not responding from user ");

  private static final String FROM = "([0-9A-Fa-f.:%]{2,64}) port (\\d{1,5})";

  private static final Pattern WITH_KEY =
      Pattern.compile(
          "(Accepted|Failed) publickey for (.{1,256}) from "
              + FROM
              + " ssh2: [A-Za-z0-9-]{1,40} (SHA256:[A-Za-z0-9+/]{43})$");

  private static final Pattern END =
      Pattern.compile(
          "(?:Disconnected from|Connection closed by|Connection reset by"
              + "|Timeout, client not responding from) user (.{1,256}) "
              + FROM
              + "$");

  /** RFC 5424: priority, version, time, host, program, process, message id, structured data. */
  private static final Pattern FULL =
      Pattern.compile(
          "<\\d{1,3}>1 (\\S{1,40}) (\\S{1,255}) sshd(?:-session)? \\S{1,128} \\S{1,32}"
              + " (?:-|\\[[^\\]]{0,500}\\]) (?:\uFEFF|\u00EF\u00BB\u00BF)?");

  /** RFC 3164, with or without its priority. */
  private static final Pattern OLD =
      Pattern.compile(
          "(?:<\\d{1,3}>)?([A-Z][a-z]{2} [ \\d]\\d \\d\\d:\\d\\d:\\d\\d|\\d{4}-\\S{1,36})"
              + " (\\S{1,255}) sshd(?:-session)?\\[\\d{1,10}\\]: ");

  /** ISO 8601 with any of its offsets: Z, +01, +0100, +01:00. */
  private static final DateTimeFormatter MOMENT =
      new DateTimeFormatterBuilder()
          .append(DateTimeFormatter.ISO_LOCAL_DATE_TIME)
          .appendPattern("[XXX][XX][X]")
          .toFormatter(Locale.ENGLISH);

  /**
   * Reads a line.
   *
   * @param line without its line end
   * @param now when it is read, by which the year is told that old headers lack
   * @return empty if it tells of no connection with a key
   */
  public static Optional<LoggedLine> read(String line, Instant now) {
    int message = line.length() > LONGEST ? -1 : beginning(line);
    if (message < 0) {
      return Optional.empty();
    }
    Optional<ConnectionEvent> event = event(line.substring(message));
    if (event.isEmpty()) {
      return Optional.empty();
    }
    if (message == 0) {
      return Optional.of(new LoggedLine(event.get(), Optional.empty(), "", 0));
    }
    String header = line.substring(0, message);
    Matcher matcher = (header.contains(">1 ") ? FULL : OLD).matcher(header);
    if (!matcher.matches()) {
      return Optional.empty();
    }
    Optional<Instant> at = moment(matcher.group(1), now);
    return Optional.of(
        new LoggedLine(event.get(), at, matcher.group(2), at.isEmpty() ? 0 : digest(line)));
  }

  private static Optional<ConnectionEvent> event(String message) {
    Matcher key = WITH_KEY.matcher(message);
    if (key.matches()) {
      int port = Integer.parseInt(key.group(4));
      Fingerprint print = new Fingerprint(key.group(5));
      return Optional.of(
          key.group(1).equals("Accepted")
              ? new SignIn(key.group(2), key.group(3), port, print)
              : new Refusal(key.group(2), key.group(3), port, print));
    }
    Matcher end = END.matcher(message);
    return end.matches()
        ? Optional.of(new End(end.group(1), end.group(2), Integer.parseInt(end.group(3))))
        : Optional.empty();
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
    return beginning(line) >= 0;
  }

  /** Where the first of what a server may write begins; -1 if there is none. */
  private static int beginning(String line) {
    int first = -1;
    for (String beginning : BEGINNINGS) {
      int at = line.indexOf(beginning);
      first = at >= 0 && (first < 0 || at < first) ? at : first;
    }
    return first;
  }

  private static Optional<Instant> moment(String text, Instant now) {
    try {
      if (text.charAt(0) >= '0' && text.charAt(0) <= '9') {
        return Optional.of(OffsetDateTime.parse(text, MOMENT).toInstant());
      }
      int year = now.atOffset(ZoneOffset.UTC).getYear();
      Instant at = LocalDateTime.parse(text, withoutYear(year)).toInstant(ZoneOffset.UTC);
      return Optional.of(
          at.isAfter(now.plusSeconds(86_400))
              ? LocalDateTime.parse(text, withoutYear(year - 1)).toInstant(ZoneOffset.UTC)
              : at);
    } catch (DateTimeException notATime) {
      return Optional.empty();
    }
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
