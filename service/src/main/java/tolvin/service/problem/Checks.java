package tolvin.service.problem;

import java.time.DateTimeException;
import java.time.Duration;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.format.DateTimeParseException;
import java.util.List;
import tolvin.core.key.PlainText;

/** Checks of input that many calls share. */
public final class Checks {
  private static final int LONGEST = 500;

  private Checks() {}

  /** Plain text that is not blank and not too long, without blanks around it. */
  public static String text(String value, String what) {
    String text = optional(value, what);
    if (text.isEmpty()) {
      throw Problem.invalid("The " + what + " is missing.", "Give the " + what + ".");
    }
    return text;
  }

  /** Plain text that may be missing; empty then. */
  public static String optional(String value, String what) {
    String text = value == null ? "" : value.strip();
    if (text.length() > LONGEST || !PlainText.isPlain(text)) {
      throw Problem.invalid(
          "The " + what + " is longer than 500 characters or holds control characters.",
          "Give it as one line of plain text.");
    }
    return text;
  }

  /** A constant that has to be given. */
  public static <E extends Enum<E>> E given(E value, String what) {
    if (value == null) {
      throw Problem.invalid("The " + what + " is missing.", "Give the " + what + ".");
    }
    return value;
  }

  /** One of a few words. */
  public static String oneOf(String value, List<String> words, String what) {
    if (value == null || !words.contains(value)) {
      throw Problem.invalid(
          "The " + what + " must be one of: " + String.join(", ", words) + ".",
          "Choose one of them.");
    }
    return value;
  }

  /** A duration in ISO 8601, such as P90D or PT5M. */
  public static Duration duration(String value, String what, Duration least) {
    try {
      Duration duration = Duration.parse(value == null ? "" : value);
      if (duration.compareTo(least) >= 0 && duration.compareTo(Duration.ofDays(36500)) < 0) {
        return duration;
      }
    } catch (DateTimeParseException | ArithmeticException notADuration) {
      // said below
    }
    throw Problem.invalid(
        "The " + what + " is no duration of at least " + least + ".",
        "Give it in ISO 8601, such as P90D for ninety days or PT5M for five minutes.");
  }

  /** A time zone by its name; UTC if it is absent. */
  public static ZoneId zone(String name) {
    try {
      return name == null ? ZoneOffset.UTC : ZoneId.of(name.strip());
    } catch (DateTimeException unknown) {
      throw Problem.invalid(
          "“" + PlainText.shown(name) + "” is no time zone.",
          "Give it as Europe/Oslo, or as an offset such as +01:00.");
    }
  }
}
