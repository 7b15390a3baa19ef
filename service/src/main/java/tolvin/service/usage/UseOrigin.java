package tolvin.service.usage;

import java.time.Duration;
import java.time.Instant;
import java.util.Optional;

/**
 * How lines of a sign-in log came to Tolvin, which decides when what they say happened and what
 * they prove.
 *
 * @param way how
 * @param seenSince for lines that were followed: since when on they cannot have been there, so that
 *     what they tell happened between that and now, whatever they say themselves
 * @param workingSince for lines that were followed: since when the log has been read without a
 *     pause; a silence or a connection is only learned from what lies behind that
 */
public record UseOrigin(Way way, Optional<Instant> seenSince, Optional<Instant> workingSince) {
  /** A log that was not read for longer than this was not watched. */
  static final Duration PAUSE = Duration.ofSeconds(15);

  /** Lines that a server sent. */
  public static final UseOrigin SENT = new UseOrigin(Way.SENT, Optional.empty(), Optional.empty());

  /** Lines that a person read in from a file: anybody can write such a file. */
  public static final UseOrigin READ_IN =
      new UseOrigin(Way.READ_IN, Optional.empty(), Optional.empty());

  /** How lines come. */
  public enum Way {
    FOLLOWED,
    SENT,
    READ_IN
  }

  /** Lines that were followed. */
  static UseOrigin followed(Instant seenSince, Instant workingSince) {
    return new UseOrigin(Way.FOLLOWED, Optional.of(seenSince), Optional.of(workingSince));
  }

  /** Whether something that began then was watched from its beginning. */
  boolean watched(Instant begun) {
    return workingSince.map(since -> !begun.isBefore(since)).orElse(true);
  }
}
