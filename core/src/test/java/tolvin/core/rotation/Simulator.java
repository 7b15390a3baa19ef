package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.UUID;
import java.util.function.IntFunction;
import tolvin.core.estate.Absence;
import tolvin.core.estate.Account;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.AccountProof;
import tolvin.core.estate.Dependence;
import tolvin.core.estate.Feed;
import tolvin.core.estate.Freeze;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Seat;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;

/**
 * A worker and its database around {@link RotationPlanner}, in a simulated {@link World}. Each
 * effect can go wrong in its own way; what the worker knows is only what it has read.
 */
final class Simulator {
  /** What goes wrong with one effect. */
  enum Fault {
    NONE,
    /** The worker dies after recording the attempt and before the effect; a lease goes by. */
    CRASH_BEFORE,
    /** The effect happens, then the worker dies before it is recorded; a lease goes by. */
    CRASH_AFTER,
    /** The effect happens, its answer is lost. */
    ANSWER_LOST,
    /** Half of it happens, then the connection is cut. */
    CUT,
    /** It is sent, gets no answer, and may happen at any time later. */
    LATE,
    /** The host does not answer for a while; what was sent may happen at any time later. */
    HANGS,
    /** The effect happens twice. */
    DOUBLED,
    /** The effect is refused. */
    FAILED
  }

  private static final Duration LEASE = Duration.ofSeconds(5);

  /** What Tolvin has on record of one placement. */
  private static final class Placed {
    final String line;
    boolean wasThere;
    boolean leaves;
    Instant missingSince;

    Placed(String line, boolean wasThere) {
      this.line = line;
      this.wasThere = wasThere;
    }
  }

  final World world;
  final List<Attempt> history = new ArrayList<>();
  final List<EffectKind> done = new ArrayList<>();
  private final IntFunction<Fault> faults;
  private final Map<AccountId, List<Registered>> known = new HashMap<>();
  private final Map<AccountId, Instant> accountRead = new HashMap<>();
  private final Map<AccountId, Map<Fingerprint, Placed>> placed = new HashMap<>();
  private final Map<AccountId, Set<Fingerprint>> gone = new HashMap<>();
  private final Map<AccountId, Set<Fingerprint>> leaving = new HashMap<>();
  private final Map<UUID, Instant> unsettled = new HashMap<>();
  private final Map<SeatId, Instant> sameSince = new HashMap<>();
  private final Map<SeatId, List<Fingerprint>> seatKnown = new HashMap<>();
  private final Map<SeatId, Set<Fingerprint>> seatKeeps = new HashMap<>();
  private final Map<SeatId, Set<Fingerprint>> everOffered = new HashMap<>();
  private final Map<SeatId, Instant> seatRead = new HashMap<>();
  private final Map<SeatId, Instant> offersSince = new HashMap<>();
  private final Map<SeatId, List<Fingerprint>> toldOf = new HashMap<>();
  private final List<AccountProof> proofs = new ArrayList<>();
  private final List<SeatProof> seatProofs = new ArrayList<>();
  private final Instant startedAt;
  private final Random chance = new Random(7);
  private boolean feedWorks = true;

  /** Whether what may still land is made impossible before anything rests on it. */
  boolean settles = true;

  /** For the oracle's own test: goes on as if an unknown outcome were none. */
  boolean ignoresUnsettled;

  /** Freezes that somebody set. */
  final List<Freeze> freezes = new ArrayList<>();

  /** Accounts and seats that other rotations are at, until when. */
  final Map<UUID, Instant> reserved = new HashMap<>();

  /** How often somebody else was at what was to be changed or read. */
  int busy;

  RotationContext context;
  private int effects;

  Simulator(World world, IntFunction<Fault> faults) {
    this.world = world;
    this.faults = faults;
    this.startedAt = world.now;
    this.context =
        new RotationContext(
            World.OLD,
            Optional.empty(),
            Direction.RUNNING,
            startedAt,
            Duration.ofSeconds(5),
            Set.of(),
            Set.of(),
            Set.of(),
            Set.of());
    world
        .lines(World.OLD)
        .forEach(
            (a, line) -> placed.put(a, new HashMap<>(Map.of(World.OLD, new Placed(line, true)))));
    world.offers.forEach(
        (seat, keys) -> {
          offersSince.put(seat, startedAt);
          toldOf.put(seat, List.copyOf(keys));
          everOffered.put(seat, new HashSet<>(keys));
          seatKeeps.put(seat, Set.of());
        });
  }

  void breakFeed() {
    feedWorks = false;
  }

  int effects() {
    return effects;
  }

  /** How many attempts are on record. */
  int attempts() {
    return history.size();
  }

  /** Runs until nothing more is decided by itself, for so many simulated seconds at most. */
  Decision run(int seconds) {
    Decision move = null;
    for (int i = 0; i < seconds; i++) {
      tick();
      boolean looked;
      do {
        looked = false;
        move = RotationPlanner.move(snapshot(), context, history);
        if (move instanceof Decision.Act act && stillSame(act)) {
          looked = act(act.effect()) && act.effect().id().kind() == EffectKind.LOOK;
        }
      } while (looked);
      if (!(move instanceof Decision.Act) && !(move instanceof Decision.Wait)) {
        return move;
      }
    }
    return move;
  }

  /** Time goes by; nothing is decided. */
  void pass(int seconds) {
    for (int i = 0; i < seconds; i++) {
      tick();
    }
  }

  private void tick() {
    world.tick();
    if (settles) {
      settle();
    }
  }

  /** As the service does beside all rotations: what may still land is removed, then read back. */
  private void settle() {
    for (UUID resource : List.copyOf(unsettled.keySet())) {
      if (!world.hangs(resource) && chance.nextInt(3) == 0) {
        world.late.removeIf(one -> one.resource().equals(resource));
        unsettled.remove(resource);
        world.registered.keySet().stream()
            .filter(a -> a.value().equals(resource))
            .forEach(this::read);
        world.offers.keySet().stream().filter(s -> s.value().equals(resource)).forEach(this::read);
      }
    }
  }

  /** Destroys the private key that is out of use, as soon as the core allows it. */
  boolean destroyWhatLeft(int seconds) {
    Fingerprint key = context.from();
    for (int i = 0; i < seconds; i++) {
      tick();
      Decision move = Aftercare.move(key, snapshot(), sameSince, LEASE);
      while (move instanceof Decision.Act act && !(act.effect() instanceof Effect.Destroy)) {
        record(act.effect(), world.now);
        move = Aftercare.move(key, snapshot(), sameSince, LEASE);
      }
      if (move instanceof Decision.Act) {
        return true;
      }
    }
    return false;
  }

  /** A sweep reads an account, once more a little later. */
  void sweep(AccountId account) {
    if (!world.hangs(account.value()) && !unsettled.containsKey(account.value())) {
      read(account);
    }
  }

  /** Another door withdraws a key, if nobody is seen to break by it. */
  boolean withdrawByOtherDoor(AccountId account, Fingerprint key) {
    Snapshot seen = snapshot();
    Snapshot asked =
        new Snapshot(
            seen.now(),
            seen.accounts(),
            seen.seats(),
            seen.ties(),
            seen.uses(),
            seen.proofs(),
            seen.seatProofs(),
            seen.freezes(),
            Set.of(context.from()),
            seen.unsettled());
    boolean breaks =
        Dependence.on(key, asked).stream()
            .filter(d -> d.tie().account().equals(account))
            .anyMatch(Dependence::breaks);
    if (breaks || unsettled.containsKey(account.value())) {
      return false;
    }
    leaving.computeIfAbsent(account, a -> new HashSet<>()).add(key);
    return true;
  }

  /** That door's effect, some time after it was decided. */
  void carryOutOtherDoor(AccountId account, Fingerprint key) {
    world.registered.get(account).removeIf(r -> r.key().equals(key));
    world.checkLaw("a withdrawal by another door");
    Optional.ofNullable(placed.get(account)).map(p -> p.get(key)).ifPresent(p -> p.leaves = true);
    read(account);
    leaving.get(account).remove(key);
  }

  /** Whether a placement of the key is on record that is not over and was ever there. */
  boolean isPlacedOnRecord(AccountId account, Fingerprint key) {
    return Optional.ofNullable(placed.getOrDefault(account, Map.of()).get(key))
        .filter(p -> p.wasThere)
        .isPresent();
  }

  /** Reads again what the effect rests on, as the service does, and asks once more. */
  private boolean stillSame(Decision.Act act) {
    List<Effect> looks = RotationPlanner.preconditions(act.effect(), snapshot());
    for (Effect look : looks) {
      if (isReserved(look)) {
        return false;
      }
      if (world.hangs(resource(look).orElseThrow()) || chance.nextInt(50) == 0) {
        history.add(new Attempt(look.id(), world.now, Attempt.Outcome.FAILED, "no answer"));
        return false;
      }
      record(look, world.now);
    }
    return looks.isEmpty() || RotationPlanner.move(snapshot(), context, history).equals(act);
  }

  private static Optional<UUID> resource(Effect effect) {
    return effect
        .touchesAccount()
        .map(AccountId::value)
        .or(() -> effect.touchesSeat().map(SeatId::value));
  }

  private boolean isReserved(Effect effect) {
    boolean isReserved =
        resource(effect).map(reserved::get).filter(until -> world.now.isBefore(until)).isPresent();
    busy += isReserved ? 1 : 0;
    return isReserved;
  }

  /** Whether it was begun: nobody else is at the same account or seat. */
  private boolean act(Effect effect) {
    if (isReserved(effect)) {
      return false;
    }
    carryOut(effect);
    return true;
  }

  private void carryOut(Effect effect) {
    Fault fault = faults.apply(effects++);
    Instant started = world.now;
    EffectId id = effect.id();
    Optional<UUID> resource = resource(effect);
    if (fault == Fault.HANGS) {
      resource.ifPresent(r -> world.hanging.put(r, world.now.plusSeconds(20)));
    }
    boolean hangs = resource.filter(world::hangs).isPresent();
    if (fault == Fault.FAILED || hangs && !effect.changes()) {
      history.add(new Attempt(id, started, Attempt.Outcome.FAILED, "refused"));
      return;
    }
    if (effect instanceof Effect.Place place) {
      placed
          .computeIfAbsent(place.account(), a -> new HashMap<>())
          .putIfAbsent(place.key(), new Placed("line of " + place.key(), false));
    } else if (effect instanceof Effect.Supply supply) {
      everOffered.get(supply.seat()).add(supply.key());
    } else if (effect instanceof Effect.Withdraw withdraw) {
      placed.get(withdraw.account()).get(withdraw.key()).leaves = true;
    }
    if (fault == Fault.LATE || hangs) {
      resource
          .filter(r -> effect.changes())
          .ifPresent(
              r -> world.landLater(effect, r, world.now.plusSeconds(1 + chance.nextInt(120))));
    } else if (fault == Fault.CUT && effect instanceof Effect.Supply supply) {
      world.applyHalf(supply);
    } else if (fault != Fault.CRASH_BEFORE && fault != Fault.CUT) {
      world.apply(effect);
      if (fault == Fault.DOUBLED) {
        world.apply(effect);
      }
    }
    if (fault != Fault.NONE && fault != Fault.DOUBLED || hangs) {
      history.add(new Attempt(id, started, Attempt.Outcome.UNKNOWN, "no answer"));
      resource.filter(r -> effect.changes()).ifPresent(r -> unsettled.put(r, world.now));
      if (fault == Fault.CRASH_BEFORE || fault == Fault.CRASH_AFTER) {
        for (int i = 0; i < LEASE.toSeconds(); i++) {
          world.tick(); // nobody is at it until the lease has run out
        }
      }
      return;
    }
    world.now = world.now.plusMillis(10);
    record(effect, started);
    history.add(new Attempt(id, started, Attempt.Outcome.DONE, ""));
    done.add(id.kind());
  }

  private Seat.Reload reload(SeatId id) {
    return !world.untold.containsKey(id)
        ? Seat.Reload.NOT_NEEDED
        : seatKnown.getOrDefault(id, List.of()).equals(toldOf.get(id))
            ? Seat.Reload.DONE
            : Seat.Reload.DUE;
  }

  private void record(Effect effect, Instant started) {
    if (effect instanceof Effect.Reload told) {
      toldOf.put(told.seat(), List.of(told.key()));
      offersSince.put(told.seat(), world.now);
    }
    effect.touchesAccount().ifPresent(this::read);
    effect.touchesSeat().ifPresent(this::read);
    if (effect instanceof Effect.Generate) {
      context = context(Optional.of(World.FRESH), Set.of(World.FRESH), context.direction());
    } else if (effect instanceof Effect.Prove prove
        && world.accepts(prove.account(), prove.key())) {
      proofs.add(new AccountProof(prove.account(), prove.key(), started));
    } else if (effect instanceof Effect.ProveSeat tried
        && world.signsIn(tried.tie(), tried.key())) {
      seatProofs.add(new SeatProof(tried.tie(), tried.key(), started));
    }
  }

  void direction(Direction direction) {
    context = context(context.fresh(), context.inCoffer(), direction);
  }

  void watch(Duration watch) {
    context =
        new RotationContext(
            World.OLD,
            context.fresh(),
            context.direction(),
            startedAt,
            watch,
            context.inCoffer(),
            context.givenOut(),
            Set.of(),
            Set.of());
  }

  private RotationContext context(
      Optional<Fingerprint> fresh, Set<Fingerprint> coffer, Direction direction) {
    return new RotationContext(
        World.OLD,
        fresh,
        direction,
        startedAt,
        context.watch(),
        coffer,
        context.givenOut(),
        Set.of(),
        context.accepted());
  }

  /** The new key's owner fetches its private key from the coffer. */
  void giveOut() {
    context =
        new RotationContext(
            World.OLD,
            context.fresh(),
            context.direction(),
            startedAt,
            context.watch(),
            context.inCoffer(),
            Set.of(World.FRESH),
            Set.of(),
            Set.of());
  }

  private void read(AccountId account) {
    List<Registered> found = List.copyOf(world.registered.get(account));
    known.put(account, found);
    accountRead.put(account, world.now);
    Map<Fingerprint, Placed> placements = placed.getOrDefault(account, Map.of());
    for (Fingerprint key : List.copyOf(placements.keySet())) {
      Placed placement = placements.get(key);
      if (found.stream().anyMatch(r -> r.key().equals(key))) {
        placement.wasThere = true;
        placement.missingSince = null;
      } else if (placement.leaves) {
        placements.remove(key);
      } else if (placement.wasThere) {
        placement.missingSince =
            placement.missingSince == null ? world.now : placement.missingSince;
        if (Absence.isConfirmed(placement.missingSince, world.now)) {
          placements.remove(key);
          gone.computeIfAbsent(account, a -> new HashSet<>()).add(key);
        }
      }
    }
  }

  private Account.Losses losses(AccountId account) {
    Set<Fingerprint> missing = new HashSet<>();
    placed
        .getOrDefault(account, Map.of())
        .forEach(
            (key, p) -> {
              if (p.missingSince != null) {
                missing.add(key);
              }
            });
    return new Account.Losses(
        missing, gone.getOrDefault(account, Set.of()), leaving.getOrDefault(account, Set.of()));
  }

  private void read(SeatId seat) {
    List<Fingerprint> offered = List.copyOf(world.offers.get(seat));
    if (!offered.equals(seatKnown.getOrDefault(seat, List.of(World.OLD)))) {
      offersSince.put(seat, world.now);
      sameSince.put(seat, world.now);
    }
    sameSince.putIfAbsent(seat, world.now);
    seatKnown.put(seat, offered);
    seatKeeps.put(seat, Set.copyOf(world.keeps.get(seat)));
    seatRead.put(seat, world.now);
  }

  Snapshot snapshot() {
    Map<AccountId, Account> accounts = new HashMap<>();
    for (AccountId id : world.registered.keySet()) {
      Optional<Instant> own =
          proofs.stream()
              .filter(p -> p.account().equals(id))
              .map(AccountProof::at)
              .max(Instant::compareTo);
      Feed feed =
          feedWorks ? new Feed(Optional.of(startedAt), Optional.of(world.now), own) : Feed.NONE;
      accounts.put(
          id,
          new Account(
              id,
              "account " + id.value().getLeastSignificantBits(),
              5,
              Duration.ZERO,
              known.getOrDefault(id, List.of()),
              Optional.ofNullable(accountRead.get(id)),
              lines(id),
              feed,
              Optional.empty(),
              losses(id)));
    }
    Map<SeatId, Seat> seats = new HashMap<>();
    for (SeatId id : world.offers.keySet()) {
      seats.put(
          id,
          new Seat(
              id,
              "seat " + id.value().getLeastSignificantBits(),
              seatKnown.getOrDefault(id, List.of(World.OLD)),
              seatKeeps.get(id),
              Optional.ofNullable(seatRead.get(id)),
              offersSince.get(id),
              everOffered.get(id),
              Optional.empty(),
              world.asked.contains(id),
              !world.single.contains(id),
              reload(id),
              !world.strict.contains(id)));
    }
    List<Use> uses =
        world.log.values().stream()
            .map(s -> new Use(s.account(), s.key(), s.address(), s.at().minusSeconds(1), s.at()))
            .toList();
    return new Snapshot(
        world.now,
        accounts,
        seats,
        world.ties,
        uses,
        proofs,
        seatProofs,
        freezes,
        Set.of(),
        ignoresUnsettled ? Map.of() : unsettled);
  }

  private Map<Fingerprint, String> lines(AccountId account) {
    Map<Fingerprint, String> lines = new HashMap<>();
    placed.getOrDefault(account, Map.of()).forEach((key, p) -> lines.put(key, p.line));
    return lines;
  }
}
