package tolvin.service.snapshot;

import java.time.Duration;
import java.time.Instant;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Objects;
import java.util.function.Function;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.usage.FeedStore;

/**
 * How a seat was seen to behave where its uses are told of with their address.
 *
 * @param longestGap the longest silence between two uses; null if there were too few
 * @param longestSession the longest that one connection lasted; null if no end of one was told
 * @param fellBackAt when its client was last seen to go on after a refusal; null if never
 */
public record TieSeen(Duration longestGap, Duration longestSession, Instant fellBackAt) {

  /** What was seen of a seat's address on the accounts that it signs in to. */
  public static TieSeen of(SeatRow seat, Collection<FeedStore.ClientSeen> clients) {
    List<FeedStore.ClientSeen> its =
        clients.stream().filter(c -> c.address().equals(seat.address)).toList();
    return new TieSeen(
        longest(its, FeedStore.ClientSeen::longestGap),
        longest(its, FeedStore.ClientSeen::longestSession),
        its.stream()
            .map(FeedStore.ClientSeen::fellBackAt)
            .filter(Objects::nonNull)
            .max(Comparator.naturalOrder())
            .orElse(null));
  }

  private static Duration longest(
      List<FeedStore.ClientSeen> clients, Function<FeedStore.ClientSeen, Duration> time) {
    return clients.stream()
        .map(time)
        .filter(t -> !t.isZero())
        .max(Comparator.naturalOrder())
        .orElse(null);
  }
}
