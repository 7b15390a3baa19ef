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
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * A sign-in as a log tells of it, with what the log's own header says. Three headers are known: the
 * one of RFC 5424 section 6, the older one of RFC 3164 section 4.1 (also with a timestamp of RFC
 * 3339, as Debian writes it), and none, as {@code sshd -E} writes.
 *
 * <p>A header is taken word for word from the beginning of the line, so that a login that was made
 * up to look like a line of its own is never taken for one.
 *
 * @param signIn the sign-in
 * @param at when, by the clock of whoever wrote the line; empty if the line does not tell
 * @param host which host says so; empty if the line does not tell
 * @param digest 64 bits that are the same for the same line, and for no other; 0 if the line does
 *     not tell the time, since it cannot be told from another one then
 */
public record LoggedSignIn(SignInLine signIn, Optional<Instant> at, String host, long digest) {
  private static final String ACCEPTED = "Accepted publickey for ";
  private static final int LONGEST = 2000;

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

  /**
   * Reads a line.
   *
   * @param line without its line end
   * @param now when it is read, by which the year is told that old headers lack
   * @return empty if it tells of no sign-in with a key
   */
  public static Optional<LoggedSignIn> read(String line, Instant now) {
    int message = line.indexOf(ACCEPTED);
    if (message < 0 || line.length() > LONGEST) {
      return Optional.empty();
    }
    Optional<SignInLine> signIn = SignInLine.read(line.substring(message));
    if (signIn.isEmpty()) {
      return Optional.empty();
    }
    if (message == 0) {
      return Optional.of(new LoggedSignIn(signIn.get(), Optional.empty(), "", 0));
    }
    String header = line.substring(0, message);
    Matcher matcher = FULL.matcher(header);
    if (!matcher.matches()) {
      matcher = OLD.matcher(header);
      if (!matcher.matches()) {
        return Optional.empty();
      }
    }
    Optional<Instant> at = moment(matcher.group(1), now);
    return Optional.of(
        new LoggedSignIn(signIn.get(), at, matcher.group(2), at.isEmpty() ? 0 : digest(line)));
  }

  private static Optional<Instant> moment(String text, Instant now) {
    try {
      if (text.charAt(0) >= '0' && text.charAt(0) <= '9') {
        return Optional.of(OffsetDateTime.parse(text).toInstant());
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
