package tolvin.core.rotation;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.UUID;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.Tie;
import tolvin.core.estate.TieId;
import tolvin.core.key.Fingerprint;

/**
 * The simulated outside: what is really registered and really offered, clients that sign in, a log.
 * Beside it the oracle of the law, which knows nothing of snapshots, guards or stages.
 */
final class World {
  static final Fingerprint OLD = new Fingerprint("SHA256:" + "o".repeat(43));
  static final Fingerprint FRESH = new Fingerprint("SHA256:" + "f".repeat(43));
  static final Fingerprint OTHER = new Fingerprint("SHA256:" + "a".repeat(43));
  static final Duration RHYTHM = Duration.ofSeconds(3);

  /** A sign-in that really happened. */
  record SignedIn(AccountId account, Fingerprint key, String address, Instant at) {}

  Instant now = Instant.parse("2026-11-23T06:00:00Z");
  final Map<AccountId, List<Registered>> registered = new LinkedHashMap<>();
  final Map<SeatId, List<Fingerprint>> offers = new LinkedHashMap<>();
  final Map<SeatId, Set<Fingerprint>> keeps = new LinkedHashMap<>();
  final List<Tie> ties = new ArrayList<>();

  /** The last sign-in of each key on each account from each address. */
  final Map<String, SignedIn> log = new HashMap<>();

  final Set<String> broken = new LinkedHashSet<>();
  final Set<TieId> silent = new HashSet<>();

  /** Seats whose integrations sign in when they are asked to, and not otherwise. */
  final Set<SeatId> asked = new HashSet<>();

  /** Seats whose clients go on with what they offered before until they are told. */
  final Map<SeatId, List<Fingerprint>> untold = new LinkedHashMap<>();

  /** Seats whose clients try their first key only. */
  final Set<SeatId> strict = new HashSet<>();

  /** Accounts that let nobody in while both keys of the rotation are registered. */
  final Set<AccountId> crowded = new HashSet<>();

  /** Seats that hold one private key only. */
  final Set<SeatId> single = new HashSet<>();

  /**
   * A change that was sent and has neither happened nor failed: a server that is stuck may carry it
   * out whenever it goes on. It was made from what the file held when it was sent.
   */
  record Late(UUID resource, Instant lands, Runnable change) {}

  final List<Late> late = new ArrayList<>();

  /** Hosts that do not answer, until when. */
  final Map<UUID, Instant> hanging = new HashMap<>();

  List<String> foreignAtFirst = List.of();

  static World generate(Random random) {
    World world = new World();
    int accounts = 1 + random.nextInt(3);
    int seats = 1 + random.nextInt(3);
    for (int i = 0; i < accounts; i++) {
      List<Registered> lines = new ArrayList<>();
      lines.add(new Registered(OLD, "old line"));
      if (random.nextBoolean()) {
        lines.add(new Registered(new Fingerprint("SHA256:" + "x".repeat(43)), "a stranger's"));
      }
      world.registered.put(new AccountId(new UUID(1, i)), lines);
    }
    List<AccountId> ids = List.copyOf(world.registered.keySet());
    for (int i = 0; i < seats; i++) {
      SeatId seat = new SeatId(new UUID(2, i));
      world.offers.put(seat, new ArrayList<>(List.of(OLD)));
      world.keeps.put(seat, new HashSet<>());
      if (random.nextInt(4) == 0) {
        world.asked.add(seat);
      }
      if (i % 3 == 2) {
        world.untold.put(seat, List.of(OLD));
      }
      Set<AccountId> opened = new LinkedHashSet<>();
      opened.add(ids.get(i % ids.size()));
      ids.stream().filter(a -> random.nextInt(3) == 0).forEach(opened::add);
      if (i % 3 != 2 && !world.asked.contains(seat) && random.nextInt(3) == 0) {
        world.offersAnother(seat, opened, random);
      }
      for (AccountId account : opened) {
        world.ties.add(
            new Tie(
                new TieId(new UUID(3, world.ties.size())),
                "tie " + world.ties.size(),
                seat,
                account,
                "10.0.0." + i,
                RHYTHM,
                Duration.ofSeconds(1)));
      }
    }
    world.foreignAtFirst = world.foreign();
    return world;
  }

  /** The entries that are none of the rotation's business. */
  List<String> foreign() {
    return registered.values().stream()
        .flatMap(List::stream)
        .filter(r -> !r.key().equals(OLD) && !r.key().equals(FRESH))
        .map(Registered::line)
        .toList();
  }

  /** A seat of two files, of which the rotation concerns one; its clients can sign in as it is. */
  private void offersAnother(SeatId seat, Set<AccountId> opened, Random random) {
    boolean first = random.nextBoolean();
    boolean accepted = random.nextBoolean();
    offers.get(seat).add(first ? 0 : 1, OTHER);
    if (accepted) {
      opened.forEach(
          account -> {
            if (!accepts(account, OTHER)) {
              registered.get(account).add(new Registered(OTHER, "another line"));
            }
          });
    }
    if ((!first || accepted) && random.nextBoolean()) {
      strict.add(seat);
    }
  }

  boolean accepts(AccountId account, Fingerprint key) {
    boolean shutsOut =
        crowded.contains(account) && isThere(account, OLD) && isThere(account, FRESH);
    return isThere(account, key) && !shutsOut;
  }

  private boolean isThere(AccountId account, Fingerprint key) {
    return registered.get(account).stream().anyMatch(r -> r.key().equals(key));
  }

  /** A second passes; every client signs in, if it can, with the first key that is accepted. */
  void tick() {
    now = now.plusSeconds(1);
    land();
    for (Tie tie : ties) {
      if (!silent.contains(tie.id()) && !asked.contains(tie.seat())) {
        effective(tie.seat()).stream()
            .filter(key -> accepts(tie.account(), key))
            .findFirst()
            .ifPresent(key -> signedIn(new SignedIn(tie.account(), key, tie.address(), now)));
      }
    }
    checkLaw("clients signing in");
  }

  void signedIn(SignedIn one) {
    log.put(one.account() + " " + one.key() + " " + one.address(), one);
  }

  private void land() {
    List<Late> due = late.stream().filter(one -> !one.lands().isAfter(now)).toList();
    late.removeAll(due);
    due.forEach(
        one -> {
          one.change().run();
          checkLaw("a late landing");
        });
  }

  /** A change as it would happen later: whole files are written, with what they held when sent. */
  void landLater(Effect effect, UUID resource, Instant lands) {
    if (effect instanceof Effect.Place || effect instanceof Effect.Withdraw) {
      AccountId account = effect.touchesAccount().orElseThrow();
      List<Registered> before = new ArrayList<>(registered.get(account));
      List<Registered> after = new ArrayList<>(before);
      change(after, effect);
      late.add(new Late(resource, lands, () -> registered.put(account, new ArrayList<>(after))));
    } else if (effect instanceof Effect.Supply supply) {
      List<Fingerprint> after = supplied(supply);
      late.add(new Late(resource, lands, () -> offers.put(supply.seat(), new ArrayList<>(after))));
    } else {
      late.add(new Late(resource, lands, () -> apply(effect)));
    }
  }

  /** Somebody takes a key out by hand; only where that breaks nobody by itself. */
  boolean removeByHand(AccountId account, Fingerprint key) {
    List<Registered> before = registered.get(account);
    List<Registered> after = new ArrayList<>(before);
    boolean any = after.removeIf(r -> r.key().equals(key));
    registered.put(account, after);
    boolean breaks =
        ties.stream()
            .anyMatch(
                tie -> effective(tie.seat()).stream().noneMatch(k -> accepts(tie.account(), k)));
    if (breaks) {
      registered.put(account, before);
    }
    return any && !breaks;
  }

  boolean hangs(UUID resource) {
    return hanging.containsKey(resource) && now.isBefore(hanging.get(resource));
  }

  List<Fingerprint> effective(SeatId seat) {
    List<Fingerprint> all = untold.getOrDefault(seat, offers.get(seat));
    return strict.contains(seat) ? all.subList(0, 1) : all;
  }

  /** The law: every tie offers a key that its account accepts. */
  void checkLaw(String after) {
    for (Tie tie : ties) {
      if (effective(tie.seat()).stream().noneMatch(key -> accepts(tie.account(), key))) {
        broken.add(tie.name() + " broken after " + after);
      }
    }
  }

  private static void change(List<Registered> entries, Effect effect) {
    if (effect instanceof Effect.Place place) {
      if (entries.stream().noneMatch(r -> r.key().equals(place.key()))) {
        entries.add(new Registered(place.key(), "line of " + place.key()));
      }
    } else if (effect instanceof Effect.Withdraw withdraw) {
      entries.removeIf(r -> r.line().equals(withdraw.line()));
    }
  }

  private List<Fingerprint> supplied(Effect.Supply supply) {
    List<Fingerprint> offered = new ArrayList<>(offers.get(supply.seat()));
    if (!offered.contains(supply.key())) {
      Fingerprint from = supply.key().equals(OLD) ? FRESH : OLD;
      offered.replaceAll(key -> key.equals(from) ? supply.key() : key);
    }
    return offered;
  }

  /** The first half of supplying: what the seat offers has a second name, and nothing else. */
  void applyHalf(Effect.Supply supply) {
    offers.get(supply.seat()).stream()
        .filter(key -> !key.equals(OTHER) && !key.equals(supply.key()))
        .forEach(keeps.get(supply.seat())::add);
  }

  void apply(Effect effect) {
    if (effect instanceof Effect.Place || effect instanceof Effect.Withdraw) {
      change(registered.get(effect.touchesAccount().orElseThrow()), effect);
    } else if (effect instanceof Effect.Supply supply) {
      if (!offers.get(supply.seat()).contains(supply.key())) {
        applyHalf(supply);
        keeps.get(supply.seat()).remove(supply.key());
        offers.put(supply.seat(), supplied(supply));
      }
    } else if (effect instanceof Effect.Reload told) {
      untold.replace(told.seat(), List.copyOf(offers.get(told.seat())));
    } else if (effect instanceof Effect.Clear clear) {
      keeps.get(clear.seat()).remove(clear.key());
    }
    checkLaw(effect.id().toString());
  }

  /** Has a seat sign in; whether it came in with the key. */
  boolean signsIn(TieId id, Fingerprint key) {
    Tie tie = ties.stream().filter(t -> t.id().equals(id)).findFirst().orElseThrow();
    return effective(tie.seat()).contains(key) && accepts(tie.account(), key);
  }

  Map<AccountId, String> lines(Fingerprint key) {
    Map<AccountId, String> lines = new HashMap<>();
    registered.forEach(
        (account, list) ->
            list.stream()
                .filter(r -> r.key().equals(key))
                .forEach(r -> lines.put(account, r.line())));
    return lines;
  }
}
