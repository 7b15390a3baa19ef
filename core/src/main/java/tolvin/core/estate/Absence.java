package tolvin.core.estate;

import java.time.Duration;
import java.time.Instant;

/**
 * When an entry that a reading did not find counts as gone. One reading is not enough: an editor
 * that empties a file before it writes it, or a copy under way, looks the same for a moment.
 */
public final class Absence {
  /** How far apart the two readings are at least that confirm an absence. */
  public static final Duration CONFIRMED_AFTER = Duration.ofSeconds(2);

  private Absence() {}

  /**
   * Whether an entry is gone.
   *
   * @param missingSince when a reading first did not find it
   * @param reading when a reading was made that did not find it either
   */
  public static boolean isConfirmed(Instant missingSince, Instant reading) {
    return !reading.isBefore(missingSince.plus(CONFIRMED_AFTER));
  }
}
