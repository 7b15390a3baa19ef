package tolvin.connectors.http;

import java.net.http.HttpResponse;
import java.time.Clock;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.time.temporal.ChronoUnit;
import java.util.Optional;

/** The time that a server tells in its headers. */
public final class ServerTime {
  private ServerTime() {}

  /**
   * How far a server's clock is ahead of ours, by the header Date (RFC 9110 section 6.6.1), to the
   * second; empty if it does not tell.
   */
  public static Optional<Duration> ahead(HttpResponse<?> response, Clock ours) {
    return response
        .headers()
        .firstValue("Date")
        .flatMap(ServerTime::date)
        .map(at -> Duration.between(ours.instant().truncatedTo(ChronoUnit.SECONDS), at));
  }

  /** A date as HTTP writes it (RFC 9110 section 5.6.7); empty if it is none. */
  public static Optional<Instant> date(String text) {
    try {
      return Optional.of(
          ZonedDateTime.parse(text, DateTimeFormatter.RFC_1123_DATE_TIME).toInstant());
    } catch (DateTimeException noDate) {
      return Optional.empty();
    }
  }
}
