package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Stream;
import tolvin.core.estate.SeatId;
import tolvin.core.key.Fingerprint;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.CommandPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Moment;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.rotation.Effect;
import tolvin.service.destination.Access;
import tolvin.service.handover.ByHand;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.SeatTrialRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.store.ClockStore;

/** Effects on seats: looking, supplying, reloading the client, its own sign-in, clearing. */
@ApplicationScoped
class SeatEffects {
  private final SeatHoldings holdings;
  private final SeatMoments moments;
  private final SeatPort seatPort;
  private final CommandPort commands;
  private final PairEffects pairs;
  private final RotationStore rotations;
  private final KeyStore keys;
  private final SeatStore seats;
  private final PlacementStore placements;
  private final ByHand byHand;
  private final EffectJournal effectJournal;
  private final ClockStore clock;

  SeatEffects(
      SeatHoldings holdings,
      SeatMoments moments,
      SeatPort seatPort,
      CommandPort commands,
      PairEffects pairs,
      RotationStore rotations,
      KeyStore keys,
      SeatStore seats,
      PlacementStore placements,
      ByHand byHand,
      EffectJournal effectJournal,
      ClockStore clock) {
    this.holdings = holdings;
    this.moments = moments;
    this.seatPort = seatPort;
    this.commands = commands;
    this.pairs = pairs;
    this.rotations = rotations;
    this.keys = keys;
    this.seats = seats;
    this.placements = placements;
    this.byHand = byHand;
    this.effectJournal = effectJournal;
    this.clock = clock;
  }

  EffectHandlers.Recording look(Effect.LookAtSeat effect) throws PortException {
    List<SeatPort.Holding> found = holdings.held(effect.seat());
    return () -> holdings.record(effect.seat(), found);
  }

  /** What the seat may offer from now on is on record before it is supplied. */
  void beforeSupplying(Effect.Supply effect) {
    SeatRow seat = seats.lock(effect.seat().value());
    seat.everOffered = SeatHoldings.union(seat.everOffered, List.of(effect.key().value()));
  }

  EffectHandlers.Recording supply(Effects.Job job, Effect.Supply effect, Lease lease)
      throws PortException {
    PublicKey key = open(effect.key());
    if (holdings.isByHand(effect.seat())) {
      SeatPort.Holding supplied = byHand.supply(effect.seat().value(), key.fingerprint());
      return () -> {
        holdings.record(effect.seat(), List.of(supplied));
        effectJournal.tell("seat.supplied", job, effect.seat().value());
      };
    }
    List<SeatPort.Holding> held = holdings.held(effect.seat());
    int at = fileFor(job, effect, held);
    Place where = holdings.places(effect.seat()).get(at);
    List<SeatPort.Holding> after = new ArrayList<>(held);
    if (held.get(at).keeps().filter(key.fingerprint()::equals).isPresent()) {
      after.set(at, seatPort.restore(where, key, moments.of(effect.seat()), lease));
    } else {
      after.set(at, supplied(where, effect.key(), moments.of(effect.seat()), lease));
    }
    return () -> {
      holdings.record(effect.seat(), after);
      effectJournal.tell("seat.supplied", job, effect.seat().value());
    };
  }

  /** Makes a seat offer the key again that one of its files keeps beside. */
  EffectHandlers.Recording restore(SeatId id, Fingerprint key, Lease lease) throws PortException {
    List<SeatPort.Holding> held = holdings.held(id);
    List<SeatPort.Holding> after = new ArrayList<>(held);
    for (int i = 0; i < held.size(); i++) {
      if (held.get(i).keeps().filter(key::equals).isPresent()) {
        after.set(
            i, seatPort.restore(holdings.places(id).get(i), open(key), moments.of(id), lease));
      }
    }
    return () -> holdings.record(id, after);
  }

  /** Supplies a key from the coffer to the first of a seat's files. */
  EffectHandlers.Recording supply(SeatId id, Fingerprint key, Lease lease) throws PortException {
    List<SeatPort.Holding> after = new ArrayList<>(holdings.held(id));
    after.set(0, supplied(holdings.places(id).get(0), key, moments.of(id), lease));
    return () -> holdings.record(id, after);
  }

  private SeatPort.Holding supplied(Place where, Fingerprint key, Moment moment, Lease lease)
      throws PortException {
    String comment = inNewTransaction(() -> keys.known(key).comment);
    try (SecretPair pair = pairs.take(key)) {
      byte[] file = OpenSshFile.write(pair, comment, clock.random());
      try {
        return seatPort.supply(where, open(key), file, moment, lease);
      } finally {
        Arrays.fill(file, (byte) 0);
      }
    }
  }

  /** Removes the private key beside a seat's file. */
  EffectHandlers.Recording clear(SeatId id, Fingerprint key, Lease lease) throws PortException {
    List<SeatPort.Holding> after = cleared(new Effect.Clear(id, key), lease);
    return () -> holdings.record(id, after);
  }

  /**
   * Which of a seat's files a key goes into: the one that has it already, else the one with the key
   * that it replaces, so that what else the seat offers stays in its place.
   */
  private int fileFor(Effects.Job job, Effect.Supply effect, List<SeatPort.Holding> held)
      throws PortException {
    Fingerprint replaced = inNewTransaction(() -> otherOf(job.rotation(), effect.key()));
    for (int i = 0; i < held.size(); i++) {
      SeatPort.Holding file = held.get(i);
      if (Stream.of(file.offers(), file.keeps())
              .anyMatch(k -> k.filter(effect.key()::equals).isPresent())
          || file.offers().filter(replaced::equals).isPresent()) {
        return i;
      }
    }
    if (held.size() == 1) {
      return 0;
    }
    throw new PortException(
        Kind.CHANGED_MEANWHILE,
        "None of the seat's files holds " + replaced + " any more; somebody else changed them.",
        "It is looked at again before anything else is done.");
  }

  /** The other one of a rotation's two keys. */
  private Fingerprint otherOf(UUID rotation, Fingerprint key) {
    RotationRow row = rotations.get(rotation);
    UUID other = keys.known(key).id.equals(row.oldKeyId) ? row.newKeyId : row.oldKeyId;
    return new Fingerprint(keys.get(other).fingerprint);
  }

  /** Has the client take what was supplied. */
  EffectHandlers.Recording tell(Effects.Job job, Effect.Reload effect, Lease lease)
      throws PortException {
    SeatRow seat = inNewTransaction(() -> seats.get(effect.seat().value()));
    Place.OverSsh where = (Place.OverSsh) holdings.first(effect.seat());
    moments.of(effect.seat()).await(); // an agent is asked twice too: which keys, and to sign
    lease.check();
    commands.run(where.login(), seat.effectCommand);
    return () -> {
      seats.lock(seat.id).effectAt = clock.now();
      effectJournal.tell("seat.told", job, seat.id);
    };
  }

  /** The seat signs in itself; what it says of it is kept, whether it went well or not. */
  EffectHandlers.Recording attempt(Effects.Job job, Effect.ProveSeat effect, Instant begun)
      throws PortException {
    SeatPort.Tried tried = seatPort.trial(holdings.first(effect.seat()), effect.key());
    EffectHandlers.Recording kept =
        () -> {
          SeatTrialRow row = new SeatTrialRow();
          row.id = clock.id(begun);
          row.tieId = effect.tie().value();
          row.fingerprint = effect.key().value();
          row.madeAt = begun;
          row.accepted = tried.accepted();
          row.log = tried.log();
          seats.addTrial(row);
        };
    if (!tried.accepted()) {
      QuarkusTransaction.requiringNew().run(kept::record);
      throw new PortException(
          Kind.SIGN_IN_REFUSED,
          inNewTransaction(() -> seats.get(effect.seat().value()).path)
              + " could not sign in with "
              + effect.key().brief()
              + ": "
              + tried.log(),
          "It is tried again by itself; the old key is still in place.");
    }
    return () -> {
      kept.record();
      seats.tiesOfSeats(List.of(effect.seat().value())).stream()
          .filter(tie -> tie.id.equals(effect.tie().value()))
          .flatMap(tie -> placedOn(tie.accountId, effect.key()).stream())
          .forEach(placement -> placement.proven(clock.now()));
      effectJournal.tell("seat.proof", job, effect.seat().value());
    };
  }

  private Optional<PlacementRow> placedOn(UUID account, Fingerprint key) {
    return keys.live(key.value()).flatMap(k -> placements.live(k.id, account));
  }

  EffectHandlers.Recording clear(Effects.Job job, Effect.Clear effect, Lease lease)
      throws PortException {
    List<SeatPort.Holding> after = cleared(effect, lease);
    return () -> {
      holdings.record(effect.seat(), after);
      effectJournal.tell("seat.cleared", job, effect.seat().value());
    };
  }

  private List<SeatPort.Holding> cleared(Effect.Clear effect, Lease lease) throws PortException {
    if (holdings.isByHand(effect.seat())) {
      return List.of(
          new SeatPort.Holding(byHand.holding(effect.seat().value()).offers(), Optional.empty()));
    }
    List<SeatPort.Holding> held = new ArrayList<>(holdings.held(effect.seat()));
    List<Place> places = holdings.places(effect.seat());
    for (int i = 0; i < held.size(); i++) {
      if (held.get(i).keeps().filter(effect.key()::equals).isPresent()) {
        held.set(i, seatPort.clear(places.get(i), open(effect.key()), lease));
      }
    }
    return held;
  }

  private PublicKey open(Fingerprint key) {
    return inNewTransaction(() -> Access.key(keys.known(key).blob));
  }
}
