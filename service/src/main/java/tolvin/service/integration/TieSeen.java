package tolvin.service.integration;

import java.time.Duration;
import java.time.Instant;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import tolvin.service.destination.UseRow;

/**
 * How a seat was seen to behave where its uses are told of with their address.
 *
 * @param longestGap the longest silence between two uses; null if there were too few
 * @param longestRun the longest that one connection lasted; null if no end of one was told
 * @param fellBackAt when its client was last seen to go on after a refusal; null if never
 */
public record TieSeen(Duration longestGap, Duration longestRun, Instant fellBackAt) {

  /**
   * What the uses on the accounts that it signs in to tell of a seat; those from other addresses
   * are somebody else's.
   */
  public static TieSeen of(SeatRow seat, Collection<UseRow> uses) {
    List<UseRow> its = uses.stream().filter(u -> u.address.equals(seat.address)).toList();
    return new TieSeen(
        longest(its, u -> u.longestGapSeconds),
        longest(its, u -> u.longestRunSeconds),
        its.stream()
            .map(u -> u.fellBackAt)
            .filter(Objects::nonNull)
            .max(Comparator.naturalOrder())
            .orElse(null));
  }

  private static Duration longest(List<UseRow> uses, Function<UseRow, Long> seconds) {
    return uses.stream()
        .map(seconds)
        .filter(s -> s > 0)
        .max(Comparator.naturalOrder())
        .map(Duration::ofSeconds)
        .orElse(null);
  }
}
