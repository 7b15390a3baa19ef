package tolvin.api.rotation;

import java.time.Instant;

/**
 * A mark on the time axis of a tie.
 *
 * @param kind what was seen then
 * @param key with which key
 */
public record ChartMarkView(Instant at, Kind kind, Side key) {
  /** What was seen. */
  public enum Kind {
    ACCOUNT_PROOF,
    SEAT_PROOF,
    USE
  }

  /** Which key of a rotation. */
  public enum Side {
    OLD,
    NEW
  }
}
