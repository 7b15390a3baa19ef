package tolvin.service.handover;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.Registered;
import tolvin.core.handover.HandOverKind;
import tolvin.core.handover.HandOverState;
import tolvin.core.key.Fingerprint;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.port.TrialPort;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.handover.HandOverRow;
import tolvin.service.record.integration.IntegrationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.store.ClockStore;

/**
 * Effects that only somebody elsewhere can do. Each makes sure that they were asked, and is done
 * when a trial shows it, not when somebody says so; until then it fails with whom it waits for, and
 * is tried again by itself.
 */
@ApplicationScoped
public class ByHand {
  /** A partner's server is not asked more often than this, unless they replied. */
  private static final Duration TRY_EVERY = Duration.ofMinutes(15);

  private final HandOvers handOvers;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final IntegrationStore integrations;
  private final PlacementStore placements;
  private final SeatStore seats;
  private final FeedStore feeds;
  private final TrialPort trials;
  private final Access access;
  private final Coffer coffer;
  private final ClockStore clock;

  ByHand(
      HandOvers handOvers,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      IntegrationStore integrations,
      PlacementStore placements,
      SeatStore seats,
      FeedStore feeds,
      TrialPort trials,
      Access access,
      Coffer coffer,
      ClockStore clock) {
    this.handOvers = handOvers;
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.integrations = integrations;
    this.placements = placements;
    this.seats = seats;
    this.feeds = feeds;
    this.trials = trials;
    this.access = access;
    this.coffer = coffer;
    this.clock = clock;
  }

  /** What is known to be registered at a partner's: what a trial has confirmed. */
  public List<Registered> known(UUID accountId) {
    return inNewTransaction(
        () ->
            accounts.get(accountId).registered.stream()
                .map(AccountRow.Entry::asRegistered)
                .toList());
  }

  /**
   * Has a key registered at a partner's.
   *
   * @return what is registered there, as far as trials have shown
   * @throws PortException while it waits for them
   */
  public List<Registered> register(UUID accountId, Fingerprint key, Instant begun)
      throws PortException {
    List<Registered> known = known(accountId);
    if (known.stream().anyMatch(r -> r.key().equals(key))) {
      return known;
    }
    HandOverRow asked = asked(HandOverKind.REGISTER, accountId, key);
    Tried tried = tried(asked, accountId, key, begun);
    if (!tried.accepted()) {
      throw waiting(asked, tried.answer());
    }
    inNewTransaction(
        () -> {
          handOvers.confirm(
              locked(asked),
              tried.made() ? "Tolvin signed in with it" : "its holder signed in with it");
          return null;
        });
    PlacementRow placement = inNewTransaction(() -> placement(accountId, key));
    List<Registered> after = new ArrayList<>(known);
    after.add(new Registered(key, placement.line));
    return after;
  }

  /**
   * Has a key taken out at a partner's; it is out when it is refused while another one is let in.
   *
   * @throws PortException while it waits for them
   */
  public List<Registered> takeOut(UUID accountId, Fingerprint key, Instant begun)
      throws PortException {
    List<Registered> known = known(accountId);
    List<Registered> after =
        new ArrayList<>(known.stream().filter(r -> !r.key().equals(key)).toList());
    if (after.size() == known.size()) {
      return known;
    }
    HandOverRow asked = asked(HandOverKind.TAKE_OUT, accountId, key);
    Tried tried = tried(asked, accountId, key, begun);
    if (tried.accepted()) {
      throw waiting(asked, "the old key is still let in");
    }
    for (Registered other : after) {
      Tried control = attempt(accountId, other.key(), begun, asked.madeAt);
      if (control.made() && !control.accepted()) {
        throw waiting(
            asked, "no key is let in there now, so nothing is proven: " + control.answer());
      }
    }
    if (!tried.made() && inNewTransaction(() -> live(asked)).state != HandOverState.REPLIED) {
      throw waiting(asked, tried.answer());
    }
    inNewTransaction(
        () -> {
          handOvers.confirm(
              locked(asked),
              tried.made()
                  ? "the key is refused there, and another one is let in"
                  : "by their word; Tolvin does not hold the old private key to try it");
          return null;
        });
    return after;
  }

  /**
   * Has a key registered, or taken out, through the other source that keeps an account. What stands
   * there can be read, so nobody's word is needed.
   *
   * @param found what stands there now
   * @param wanted whether the key is to stand there
   * @return what stands there, once it is as wanted
   * @throws PortException while it waits for that source's keeper
   */
  public List<Registered> throughSource(
      UUID accountId, Fingerprint key, boolean wanted, List<Registered> found)
      throws PortException {
    Optional<Registered> there = found.stream().filter(r -> r.key().equals(key)).findFirst();
    HandOverKind kind = wanted ? HandOverKind.REGISTER : HandOverKind.TAKE_OUT;
    if (there.isPresent() != wanted) {
      throw waiting(
          asked(kind, accountId, key),
          wanted ? "the key does not stand there yet" : "the key still stands there");
    }
    inNewTransaction(
        () -> {
          // what the source writes is what is agreed from now on
          there.ifPresent(r -> placements.lock(placement(accountId, key).id).line = r.line());
          handOvers
              .live(kind, accountId, keys.known(key).id)
              .ifPresent(
                  asked ->
                      handOvers.confirm(
                          locked(asked),
                          wanted ? "it stands there" : "it does not stand there any more"));
          return null;
        });
    return found;
  }

  /**
   * Has a holder put a new private key in place; it is there when the seat was seen to use it.
   *
   * @throws PortException while it waits for them
   */
  public SeatPort.Holding supply(UUID seatId, Fingerprint key) throws PortException {
    SeatRow seat = inNewTransaction(() -> seats.get(seatId));
    if (seat.offers.contains(key.value())) {
      return holding(seat);
    }
    HandOverRow asked =
        inNewTransaction(
            () -> {
              TieRow tie = seats.tiesOfSeats(List.of(seatId)).get(0);
              AccountRow account = accounts.get(tie.accountId);
              return handOvers.askHolder(
                  seat,
                  destinations.get(account.destinationId),
                  keys.known(key),
                  integrations.get(seat.integrationId).owner);
            });
    if (!inNewTransaction(() -> wasUsed(seat, key, asked.madeAt))) {
      throw waiting(
          asked,
          "it was not seen in use yet; its holder proves it with: tolvin trial run ACCOUNT --here");
    }
    inNewTransaction(
        () -> {
          handOvers.confirm(locked(asked), "the seat was seen to sign in with it");
          return null;
        });
    return new SeatPort.Holding(
        Optional.of(key), seat.offers.stream().map(Fingerprint::new).findFirst());
  }

  /** What a seat holds that Tolvin does not reach, as far as it is known. */
  public SeatPort.Holding holding(UUID seatId) {
    return inNewTransaction(() -> holding(seats.get(seatId)));
  }

  private static SeatPort.Holding holding(SeatRow seat) {
    return new SeatPort.Holding(
        seat.offers.stream().map(Fingerprint::new).findFirst(),
        seat.keeps.stream().map(Fingerprint::new).findFirst());
  }

  private boolean wasUsed(SeatRow seat, Fingerprint key, Instant since) {
    for (TieRow tie : seats.tiesOfSeats(List.of(seat.id))) {
      boolean reported =
          feeds.uses(List.of(tie.accountId)).stream()
              .filter(u -> u.fingerprint.equals(key.value()) && u.address.equals(seat.address))
              .anyMatch(u -> u.latest.isAfter(since));
      boolean proven =
          placements.trialsSeen(tie.accountId, keys.known(key).id, 20).stream()
              .anyMatch(t -> t.signed && t.accepted && t.madeAt.isAfter(since));
      if (reported || proven) {
        return true;
      }
    }
    return false;
  }

  private HandOverRow asked(HandOverKind kind, UUID accountId, Fingerprint key) {
    return inNewTransaction(
        () -> {
          AccountRow account = accounts.get(accountId);
          return handOvers.ask(kind, account, keys.known(key), placement(accountId, key).id);
        });
  }

  private record Tried(boolean made, boolean accepted, String answer) {}

  /**
   * Tries, if it is time to; a partner's server may lock out who tries too often. What a holder
   * tried stands on record, and is looked at every time.
   */
  private Tried tried(HandOverRow asked, UUID accountId, Fingerprint key, Instant begun)
      throws PortException {
    HandOverRow row = inNewTransaction(() -> live(asked));
    if (row.nextTrialAt != null && begun.isBefore(row.nextTrialAt)) {
      boolean takingOut = row.kind == HandOverKind.TAKE_OUT;
      return new Tried(takingOut, takingOut, row.lastTrial == null ? "" : row.lastTrial);
    }
    Tried tried = attempt(accountId, key, begun, since(row));
    inNewTransaction(
        () -> {
          HandOverRow now = locked(asked);
          now.nextTrialAt = tried.made() ? clock.now().plus(TRY_EVERY) : null;
          now.lastTrial = tried.answer();
          return null;
        });
    return tried;
  }

  /**
   * Since when a holder's sign-in tells something: of a key that was to be taken out, only since
   * they say that it is out.
   */
  private static Instant since(HandOverRow asked) {
    return asked.kind == HandOverKind.TAKE_OUT && asked.repliedAt != null
        ? asked.repliedAt
        : asked.madeAt;
  }

  private Tried attempt(UUID accountId, Fingerprint key, Instant begun, Instant holderSince)
      throws PortException {
    KeyRow row = inNewTransaction(() -> keys.known(key));
    Optional<SecretPair> pair =
        inNewTransaction(() -> coffer.take(Coffer.PRIVATE_KEY, row.id, Access.key(row.blob)));
    if (pair.isEmpty()) {
      boolean byHolder =
          inNewTransaction(
              () ->
                  placements.trialsSeen(accountId, row.id, 20).stream()
                      .anyMatch(t -> t.signed && t.accepted && t.madeAt.isAfter(holderSince)));
      return new Tried(
          false,
          byHolder,
          "Tolvin does not hold the private key; its holder proves it with: tolvin trial run"
              + " ACCOUNT --here");
    }
    try (SecretPair held = pair.get()) {
      AccountRow account = inNewTransaction(() -> accounts.get(accountId));
      TrialPort.Trial trial = trials.attempt(access.attempt(account, "", held));
      inNewTransaction(
          () -> {
            placements.addTrial(
                TrialRow.ofTolvin(
                    clock.id(begun), accountId, row.id, begun, trial, trial.answer()));
            return null;
          });
      return new Tried(true, trial.accepted(), trial.answer());
    }
  }

  private HandOverRow live(HandOverRow row) {
    return handOvers.get(row.id);
  }

  /** To be changed: somebody may be given a new link, or reply, at the same moment. */
  private HandOverRow locked(HandOverRow row) {
    return handOvers.lock(row.id);
  }

  private PortException waiting(HandOverRow asked, String answer) {
    HandOverRow row = inNewTransaction(() -> live(asked));
    String replied =
        row.repliedAt == null
            ? "did not reply yet"
            : "replied “" + row.reply + "” at " + row.repliedAt;
    return new PortException(
        Kind.NOT_ALLOWED,
        row.toWhom
            + " was asked at "
            + row.madeAt
            + " and "
            + replied
            + (answer.isEmpty() ? "." : "; " + answer + "."),
        "Give them the package, or remind them: tolvin hand-over show " + row.id);
  }

  private PlacementRow placement(UUID accountId, Fingerprint key) {
    return placements.known(keys.known(key).id, accountId);
  }
}
