package tolvin.service.job;

import java.time.Duration;

/**
 * How often something is done to each of many, so that all of them together do not keep every
 * worker busy.
 *
 * @param often after which time each is done again where they are few
 * @param apart how far two of them are apart at least, on average
 */
public record Pace(Duration often, Duration apart) {

  /** After which time each of so many is done again. */
  public Duration of(long many) {
    Duration round = apart.multipliedBy(many);
    return round.compareTo(often) < 0 ? often : round;
  }
}
