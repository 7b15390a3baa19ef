package tolvin.core.schedule;

import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.Locale;

/**
 * How often a key changes, and how long before the due moment the work starts.
 *
 * @param rule the number of the rule that says so
 * @param name whom it is for, in words: "service accounts on partner servers"
 * @param every the longest life of a key
 * @param lead how long before the due moment its rotation starts
 */
public record Cadence(int rule, String name, Duration every, Duration lead) {
  private static final Duration LONG = Duration.ofDays(2);

  /**
   * @throws IllegalArgumentException if the lead time does not fit into the life of a key
   */
  public Cadence {
    if (every.compareTo(Duration.ofSeconds(10)) < 0) {
      throw new IllegalArgumentException("a cadence is at least ten seconds long");
    }
    if (lead.isNegative() || lead.compareTo(every) >= 0) {
      throw new IllegalArgumentException("the lead time must be shorter than the cadence");
    }
  }

  /**
   * A due moment.
   *
   * @param at when the key must have been replaced at the latest
   * @param startAt when its rotation starts
   * @param reason why then
   */
  public record Due(Instant at, Instant startAt, String reason) {}

  /**
   * When a key that was made at a moment is due.
   *
   * @param zone the organisation's time zone, for the words
   */
  public Due due(Instant made, ZoneId zone) {
    Instant at = made.plus(every);
    DateTimeFormatter form =
        DateTimeFormatter.ofPattern(
                every.compareTo(LONG) < 0 ? "d MMMM HH:mm:ss" : "d MMMM yyyy", Locale.ENGLISH)
            .withZone(zone);
    String reason =
        "due "
            + form.format(at)
            + ": every "
            + words(every)
            + " for "
            + name
            + " (rule "
            + rule
            + "), made "
            + form.format(made);
    return new Due(at, at.minus(lead), reason);
  }

  /** A duration as people say it. */
  public static String words(Duration duration) {
    if (duration.toSeconds() < 120) {
      return duration.toSeconds() + (duration.toSeconds() == 1 ? " second" : " seconds");
    }
    if (duration.toMinutes() < 120) {
      return duration.toMinutes() + " minutes";
    }
    return duration.toHours() < 72 ? duration.toHours() + " hours" : duration.toDays() + " days";
  }
}
