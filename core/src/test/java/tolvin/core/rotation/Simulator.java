package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.IntFunction;
import tolvin.core.estate.Account;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.AccountProof;
import tolvin.core.estate.Feed;
import tolvin.core.estate.Picture;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Seat;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;

/**
 * A worker and its database around {@link Next}, in a simulated {@link World}. Each effect can go
 * wrong in its own way; what the worker knows is only what it has read.
 */
final class Simulator {
  /** What goes wrong with one effect. */
  enum Fault {
    NONE,
    /** The worker dies after recording the attempt and before the effect. */
    CRASH_BEFORE,
    /** The effect happens, then the worker dies before it is recorded. */
    CRASH_AFTER,
    /** The effect happens, its answer is lost. */
    ANSWER_LOST,
    /** The effect happens twice. */
    DOUBLED,
    /** The effect is refused. */
    FAILED
  }

  final World world;
  final List<Attempt> history = new ArrayList<>();
  final List<String> done = new ArrayList<>();
  private final IntFunction<Fault> faults;
  private final Map<AccountId, List<Registered>> known = new HashMap<>();
  private final Map<AccountId, Instant> accountRead = new HashMap<>();
  private final Map<AccountId, Map<Fingerprint, String>> placed = new HashMap<>();
  private final Map<SeatId, List<Fingerprint>> seatKnown = new HashMap<>();
  private final Map<SeatId, Set<Fingerprint>> seatKeeps = new HashMap<>();
  private final Map<SeatId, Set<Fingerprint>> everOffered = new HashMap<>();
  private final Map<SeatId, Instant> seatRead = new HashMap<>();
  private final Map<SeatId, Instant> offersSince = new HashMap<>();
  private final Map<SeatId, List<Fingerprint>> toldOf = new HashMap<>();
  private final List<AccountProof> proofs = new ArrayList<>();
  private final List<SeatProof> seatProofs = new ArrayList<>();
  private final Instant startedAt;
  private boolean feedWorks = true;
  Course course;
  private int effects;

  Simulator(World world, IntFunction<Fault> faults) {
    this.world = world;
    this.faults = faults;
    this.startedAt = world.now;
    this.course =
        new Course(
            World.OLD,
            Optional.empty(),
            Aim.FORWARD,
            startedAt,
            Duration.ofSeconds(5),
            Set.of(),
            Set.of(),
            Set.of());
    world
        .lines(World.OLD)
        .forEach((a, line) -> placed.put(a, new HashMap<>(Map.of(World.OLD, line))));
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

  /** Runs until nothing more is decided by itself, for so many simulated seconds at most. */
  Move run(int seconds) {
    Move move = null;
    for (int i = 0; i < seconds; i++) {
      world.tick();
      do {
        move = Next.move(picture(), course, history);
        if (move instanceof Move.Act act && stillSame(act)) {
          act(act.effect());
        }
      } while (move instanceof Move.Act act && act.effect().name().startsWith("look"));
      if (!(move instanceof Move.Act) && !(move instanceof Move.Wait)) {
        return move;
      }
    }
    return move;
  }

  /** Reads again what the effect rests on, as the service does, and asks once more. */
  private boolean stillSame(Move.Act act) {
    List<Effect> looks = Next.preconditions(act.effect(), picture());
    looks.forEach(look -> record(look, world.now));
    return looks.isEmpty() || Next.move(picture(), course, history).equals(act);
  }

  private void act(Effect effect) {
    Fault fault = faults.apply(effects++);
    Instant started = world.now;
    String name = effect.name();
    if (fault == Fault.FAILED) {
      history.add(new Attempt(name, started, Attempt.Outcome.FAILED, "refused"));
      return;
    }
    if (effect instanceof Effect.Place place) {
      placed
          .computeIfAbsent(place.account(), a -> new HashMap<>())
          .put(place.key(), "line of " + place.key());
    } else if (effect instanceof Effect.Supply supply) {
      everOffered.get(supply.seat()).add(supply.key());
    }
    if (fault != Fault.CRASH_BEFORE) {
      world.apply(effect);
      if (fault == Fault.DOUBLED) {
        world.apply(effect);
      }
    }
    if (fault == Fault.CRASH_BEFORE || fault == Fault.CRASH_AFTER || fault == Fault.ANSWER_LOST) {
      history.add(new Attempt(name, started, Attempt.Outcome.UNKNOWN, "no answer"));
      return;
    }
    world.now = world.now.plusMillis(10);
    record(effect, started);
    history.add(new Attempt(name, started, Attempt.Outcome.DONE, ""));
    done.add(name.split(" ")[0]);
  }

  private Seat.Telling telling(SeatId id) {
    return !world.untold.containsKey(id)
        ? Seat.Telling.NOT_NEEDED
        : seatKnown.getOrDefault(id, List.of()).equals(toldOf.get(id))
            ? Seat.Telling.DONE
            : Seat.Telling.DUE;
  }

  private void record(Effect effect, Instant started) {
    if (effect instanceof Effect.TakeEffect told) {
      toldOf.put(told.seat(), List.of(told.key()));
      offersSince.put(told.seat(), world.now);
    }
    effect.touchesAccount().ifPresent(this::read);
    effect.touchesSeat().ifPresent(this::read);
    if (effect instanceof Effect.Make) {
      course = course(Optional.of(World.FRESH), Set.of(World.FRESH), course.aim());
    } else if (effect instanceof Effect.Destroy destroy) {
      Set<Fingerprint> coffer = new HashSet<>(course.inCoffer());
      coffer.remove(destroy.key());
      course = course(course.fresh(), coffer, course.aim());
    } else if (effect instanceof Effect.Withdraw withdraw) {
      placed.get(withdraw.account()).remove(withdraw.key());
    } else if (effect instanceof Effect.Prove prove
        && world.accepts(prove.account(), prove.key())) {
      proofs.add(new AccountProof(prove.account(), prove.key(), started));
    } else if (effect instanceof Effect.TrySeat tried && world.signsIn(tried.tie(), tried.key())) {
      seatProofs.add(new SeatProof(tried.tie(), tried.key(), started));
    }
  }

  void aim(Aim aim) {
    course = course(course.fresh(), course.inCoffer(), aim);
  }

  void watch(Duration watch) {
    course =
        new Course(
            World.OLD,
            course.fresh(),
            course.aim(),
            startedAt,
            watch,
            course.inCoffer(),
            Set.of(),
            Set.of());
  }

  private Course course(Optional<Fingerprint> fresh, Set<Fingerprint> coffer, Aim aim) {
    return new Course(
        World.OLD, fresh, aim, startedAt, course.watch(), coffer, Set.of(), course.accepted());
  }

  private void read(AccountId account) {
    known.put(account, List.copyOf(world.registered.get(account)));
    accountRead.put(account, world.now);
  }

  private void read(SeatId seat) {
    List<Fingerprint> offered = List.copyOf(world.offers.get(seat));
    if (!offered.equals(seatKnown.getOrDefault(seat, List.of(World.OLD)))) {
      offersSince.put(seat, world.now);
    }
    seatKnown.put(seat, offered);
    seatKeeps.put(seat, Set.copyOf(world.keeps.get(seat)));
    seatRead.put(seat, world.now);
  }

  Picture picture() {
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
              placed.getOrDefault(id, Map.of()),
              feed,
              Optional.empty()));
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
              telling(id),
              !world.strict.contains(id)));
    }
    Map<String, Use> uses = new HashMap<>();
    for (World.SignedIn s : world.log) {
      uses.put(
          s.account() + " " + s.key() + " " + s.address(),
          new Use(s.account(), s.key(), s.address(), s.at().minusSeconds(1), s.at()));
    }
    return new Picture(
        world.now,
        accounts,
        seats,
        world.ties,
        List.copyOf(uses.values()),
        proofs,
        seatProofs,
        List.of(),
        Set.of());
  }
}
