package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.estate.SeatId;
import tolvin.core.port.Moment;
import tolvin.core.signin.QuietMoment;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;
import tolvin.service.store.ClockStore;
import tolvin.service.usage.SignInMoments;

/** When the client of a seat may be switched: right after one of its sign-ins. */
@ApplicationScoped
class SeatMoments {
  private final SeatStore seats;
  private final FeedStore feeds;
  private final SignInMoments moments;
  private final ClockStore clock;
  private final Duration lease;

  SeatMoments(
      SeatStore seats,
      FeedStore feeds,
      SignInMoments moments,
      ClockStore clock,
      @ConfigProperty(name = "tolvin.runner.lease") Duration lease) {
    this.seats = seats;
    this.feeds = feeds;
    this.moments = moments;
    this.clock = clock;
    this.lease = lease;
  }

  /** The moment for one seat. */
  Moment of(SeatId id) {
    return () -> {
      SeatRow seat = inNewTransaction(() -> seats.get(id.value()));
      List<UUID> accounts =
          inNewTransaction(
              () -> seats.tiesOfSeats(List.of(seat.id)).stream().map(t -> t.accountId).toList());
      Optional<UseRow> last = inNewTransaction(() -> feeds.lastUseFrom(accounts, seat.address));
      Duration patience =
          QuietMoment.patience(
              last.map(use -> use.latest),
              last.flatMap(UseRow::interval),
              inNewTransaction(clock::now));
      Duration most = lease.dividedBy(4); // what follows has to be over before the lease is
      if (!patience.isZero()) {
        moments.await(
            new SignInMoments.Client(last.get().accountId, seat.address),
            patience.compareTo(most) < 0 ? patience : most);
      }
    };
  }
}
