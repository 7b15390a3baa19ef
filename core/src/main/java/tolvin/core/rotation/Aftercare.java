package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.Account;
import tolvin.core.estate.Picture;
import tolvin.core.estate.Seat;
import tolvin.core.estate.SeatId;
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
  private final Picture picture;
  private final Map<SeatId, Instant> sameSince;
  private final Duration lease;

  private Aftercare(
      Fingerprint key, Picture picture, Map<SeatId, Instant> sameSince, Duration lease) {
    this.key = key;
    this.picture = picture;
    this.sameSince = sameSince;
    this.lease = lease;
  }

  /**
   * The next move: a reading, the destruction, or waiting. The private key is destroyed when no
   * account has its public key registered, and every seat that ever offered it was read twice, a
   * lease apart, as offering others, of which each of its accounts accepts one.
   *
   * @param key the key that is out of use
   * @param picture the accounts that it ever stood on, the seats that ever offered it, their ties
   * @param sameSince when each seat was first read as offering what it offers now
   * @param lease how long a change may still land that was begun before
   */
  public static Move move(
      Fingerprint key, Picture picture, Map<SeatId, Instant> sameSince, Duration lease) {
    return new Aftercare(key, picture, sameSince, lease).decide();
  }

  private Move decide() {
    for (Account account : picture.accountList()) {
      Optional<Move> move = account(account);
      if (move.isPresent()) {
        return move.get();
      }
    }
    for (Seat seat : picture.seatList()) {
      Optional<Move> move = seat(seat);
      if (move.isPresent()) {
        return move.get();
      }
    }
    return new Move.Act(new Effect.Destroy(key));
  }

  private Optional<Move> account(Account account) {
    if (account.stopped().isPresent() || isUnsettled(account.id().value())) {
      return later("nothing can be read on " + account.name() + " now");
    }
    if (!picture.isFresh(account.readAt())) {
      return Optional.of(new Move.Act(new Effect.LookAtAccount(account.id())));
    }
    return account.registered().stream().anyMatch(r -> r.key().equals(key))
        ? later("the key is still registered on " + account.name())
        : Optional.empty();
  }

  private Optional<Move> seat(Seat seat) {
    if (!seat.everOffered().contains(key)) {
      return Optional.empty();
    }
    if (seat.stopped().isPresent() || isUnsettled(seat.id().value())) {
      return later("nothing can be read in " + seat.name() + " now");
    }
    if (!picture.isFresh(seat.readAt())) {
      return Optional.of(new Move.Act(new Effect.LookAtSeat(seat.id())));
    }
    if (seat.offers().contains(key)) {
      return later(seat.name() + " still offers it");
    }
    for (Tie tie : picture.tiesOf(seat.id())) {
      Account account = picture.accounts().get(tie.account());
      if (seat.signsInWith(account, picture.now()).isEmpty()) {
        return later(seat.name() + " offers no other key that " + account.name() + " accepts");
      }
    }
    if (seat.keeps().contains(key)) {
      return Optional.of(new Move.Act(new Effect.Clear(seat.id(), key)));
    }
    Instant again = sameSince.getOrDefault(seat.id(), picture.now()).plus(lease);
    return seat.readAt().orElseThrow().isBefore(again)
        ? Optional.of(
            new Move.Wait(
                seat.name() + " is read once more, a lease after the first time",
                Optional.of(again.isAfter(picture.now()) ? again : picture.now()),
                false))
        : Optional.empty();
  }

  private boolean isUnsettled(UUID id) {
    return picture.unsettled().containsKey(id);
  }

  private Optional<Move> later(String reason) {
    return Optional.of(new Move.Wait(reason, Optional.of(picture.now().plus(LATER)), false));
  }
}
