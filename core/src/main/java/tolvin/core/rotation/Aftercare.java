package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.Account;
import tolvin.core.estate.Seat;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.key.Fingerprint;

/**
 * What is left to do for a key that is out of use: its private key is destroyed, but only once
 * nothing can need it any more. Until then it is the last way back, also from a change that lands
 * late.
 */
public final class Aftercare {
  private static final Duration LATER = Duration.ofMinutes(1);

  private final Fingerprint key;
  private final Snapshot snapshot;
  private final Map<SeatId, Instant> sameSince;
  private final Duration lease;

  private Aftercare(
      Fingerprint key, Snapshot snapshot, Map<SeatId, Instant> sameSince, Duration lease) {
    this.key = key;
    this.snapshot = snapshot;
    this.sameSince = sameSince;
    this.lease = lease;
  }

  /**
   * The next move: a reading, the destruction, or waiting. The private key is destroyed when no
   * account has its public key registered, and every seat that ever offered it was read twice, a
   * lease apart, as offering others, of which each of its accounts accepts one.
   *
   * @param key the key that is out of use
   * @param snapshot the accounts that it ever stood on, the seats that ever offered it, their ties
   * @param sameSince when each seat was first read as offering what it offers now
   * @param lease how long a change may still land that was begun before
   */
  public static Decision move(
      Fingerprint key, Snapshot snapshot, Map<SeatId, Instant> sameSince, Duration lease) {
    return new Aftercare(key, snapshot, sameSince, lease).decide();
  }

  private Decision decide() {
    for (Account account : snapshot.accountList()) {
      Optional<Decision> move = account(account);
      if (move.isPresent()) {
        return move.get();
      }
    }
    for (Seat seat : snapshot.seatList()) {
      Optional<Decision> move = seat(seat);
      if (move.isPresent()) {
        return move.get();
      }
    }
    return new Decision.Act(new Effect.Destroy(key));
  }

  private Optional<Decision> account(Account account) {
    if (account.stopped().isPresent() || isUnsettled(account.id().value())) {
      return later("nothing can be read on " + account.name() + " now");
    }
    if (!snapshot.isFresh(account.readAt())) {
      return Optional.of(new Decision.Act(new Effect.LookAtAccount(account.id())));
    }
    return account.registered().stream().anyMatch(r -> r.key().equals(key))
        ? later("the key is still registered on " + account.name())
        : Optional.empty();
  }

  private Optional<Decision> seat(Seat seat) {
    if (!seat.everOffered().contains(key)) {
      return Optional.empty();
    }
    if (seat.stopped().isPresent() || isUnsettled(seat.id().value())) {
      return later("nothing can be read in " + seat.name() + " now");
    }
    if (!snapshot.isFresh(seat.readAt())) {
      return Optional.of(new Decision.Act(new Effect.LookAtSeat(seat.id())));
    }
    if (seat.offers().contains(key)) {
      return later(seat.name() + " still offers it");
    }
    for (Tie tie : snapshot.tiesOf(seat.id())) {
      Account account = snapshot.accounts().get(tie.account());
      if (seat.signsInWith(account, snapshot.now()).isEmpty()) {
        return later(seat.name() + " offers no other key that " + account.name() + " accepts");
      }
    }
    if (seat.keeps().contains(key)) {
      return Optional.of(new Decision.Act(new Effect.Clear(seat.id(), key)));
    }
    Instant again = sameSince.getOrDefault(seat.id(), snapshot.now()).plus(lease);
    return seat.readAt().orElseThrow().isBefore(again)
        ? Optional.of(
            new Decision.Wait(
                seat.name() + " is read once more, a lease after the first time",
                Optional.of(again.isAfter(snapshot.now()) ? again : snapshot.now()),
                false))
        : Optional.empty();
  }

  private boolean isUnsettled(UUID id) {
    return snapshot.unsettled().containsKey(id);
  }

  private Optional<Decision> later(String reason) {
    return Optional.of(new Decision.Wait(reason, Optional.of(snapshot.now().plus(LATER)), false));
  }
}
