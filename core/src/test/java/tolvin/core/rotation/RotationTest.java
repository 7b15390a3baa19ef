package tolvin.core.rotation;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Instant;
import java.util.List;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Dependence;
import tolvin.core.estate.Freeze;
import tolvin.core.estate.Registered;
import tolvin.core.estate.SeatId;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.Simulator.Fault;

class RotationTest {
  private static final int LONG = 400;

  /** Of generated estates a quarter, unless all are asked for. */
  private static int some(int all) {
    return Boolean.getBoolean("tolvin.long") ? all : all / 4;
  }

  @Test
  void withoutFaultsItGoesThroughInTheOrderOfTheTable() {
    Simulator simulator = new Simulator(World.generate(new Random(4)), i -> Fault.NONE);
    assertThat(simulator.run(LONG)).isInstanceOf(Decision.Done.class);
    List<EffectKind> order =
        simulator.done.stream().filter(d -> d != EffectKind.LOOK).distinct().toList();
    assertThat(order)
        .containsExactly(
            EffectKind.GENERATE,
            EffectKind.PLACE,
            EffectKind.PROVE,
            EffectKind.SUPPLY,
            EffectKind.PROVE_SEAT,
            EffectKind.WITHDRAW,
            EffectKind.CLEAR);
    assertOnly(simulator, World.FRESH);
  }

  @Test
  void aSeatThatHoldsOneKeyIsNotSwitchedUnasked() {
    Simulator simulator = new Simulator(World.generate(new Random(4)), i -> Fault.NONE);
    simulator.world.single.addAll(simulator.world.offers.keySet());
    assertThat(simulator.run(LONG))
        .isInstanceOfSatisfying(
            Decision.Ask.class,
            ask -> assertThat(ask.question().kind()).isEqualTo(Question.Kind.NO_WAY_BACK));
    assertThat(simulator.done).doesNotContain(EffectKind.SUPPLY);
    assertThat(simulator.world.broken).isEmpty();
  }

  /**
   * Every fault at every effect of generated estates: the law holds, and it still comes to an end.
   */
  @ParameterizedTest
  @EnumSource(Fault.class)
  void oneFaultAnywhereBreaksNothing(Fault fault) {
    for (int seed = 0; seed < some(12); seed++) {
      int effects = 0;
      for (int at = 0; at <= effects; at++) {
        int where = at;
        Simulator simulator =
            new Simulator(World.generate(new Random(seed)), i -> i == where ? fault : Fault.NONE);
        Decision end = simulator.run(LONG);
        assertThat(simulator.world.broken).as("seed %d, %s at %d", seed, fault, at).isEmpty();
        assertThat(end).as("seed %d, %s at %d", seed, fault, at).isInstanceOf(Decision.Done.class);
        assertOnly(simulator, World.FRESH);
        effects = Math.max(effects, simulator.effects());
      }
    }
  }

  @Test
  void manyFaultsBreakNothing() {
    for (int seed = 0; seed < some(400); seed++) {
      Random random = new Random(seed);
      Simulator simulator =
          new Simulator(
              World.generate(random),
              i ->
                  random.nextInt(3) == 0
                      ? Fault.values()[random.nextInt(Fault.values().length)]
                      : Fault.NONE);
      Decision end = simulator.run(4000);
      assertThat(simulator.world.broken).as("seed %d", seed).isEmpty();
      assertThat(end).as("seed %d", seed).isInstanceOf(Decision.Done.class);
    }
  }

  /** Rolled back after every number of effects, with a fault on the way back. */
  @ParameterizedTest
  @EnumSource(Fault.class)
  void putBackFromAnywhereBreaksNothing(Fault fault) {
    for (int seed = 0; seed < some(12) - 1; seed++) {
      for (int forward = 1; forward < 40; forward++) {
        Random random = new Random(seed);
        int turn = forward;
        Simulator simulator =
            new Simulator(
                World.generate(random),
                i -> i > turn && i < turn + 30 && i % 3 == 0 ? fault : Fault.NONE);
        for (int i = 0; i < 300 && simulator.effects() < forward; i++) {
          simulator.run(1);
        }
        boolean cleared = simulator.done.contains(EffectKind.CLEAR);
        simulator.direction(Direction.ROLLING_BACK);
        Decision end = simulator.run(fault == Fault.HANGS ? 10 * LONG : LONG);
        assertThat(simulator.world.broken).as("seed %d, back after %d", seed, forward).isEmpty();
        if (!cleared) {
          assertThat(end)
              .as("seed %d, back after %d", seed, forward)
              .isInstanceOf(Decision.Done.class);
          assertOnly(simulator, World.OLD);
        }
      }
    }
  }

  /** Rolling back must not wait for the long watch time of the rotation that it undoes. */
  @Test
  void puttingBackIsNotHeldByTheWatchTime() {
    Simulator simulator = new Simulator(World.generate(new Random(2)), i -> Fault.NONE);
    simulator.watch(java.time.Duration.ofDays(7));
    for (int i = 0; i < 60 && !simulator.done.contains(EffectKind.SUPPLY); i++) {
      simulator.run(1);
    }
    simulator.direction(Direction.ROLLING_BACK);
    assertThat(simulator.run(60)).isInstanceOf(Decision.Done.class);
    assertOnly(simulator, World.OLD);
  }

  /**
   * A server that lets nobody in while the new key is there: no sign-in can show that its log
   * works, and none is needed, since the key that goes was never out of the coffer.
   */
  @ParameterizedTest
  @EnumSource(Fault.class)
  void whatShutsEverybodyOutIsPutBack(Fault fault) {
    for (int seed = 0; seed < some(40); seed++) {
      World world = World.generate(new Random(seed));
      world.crowded.addAll(world.registered.keySet());
      Simulator simulator =
          new Simulator(world, i -> i > 1 && i % 3 == 0 && i < 30 ? fault : Fault.NONE);
      simulator.watch(java.time.Duration.ofDays(7));
      for (int i = 0; i < LONG && !simulator.done.contains(EffectKind.PLACE); i++) {
        simulator.run(1);
      }
      simulator.pass(10);
      simulator.direction(Direction.ROLLING_BACK);
      Decision end = simulator.run(LONG);
      assertThat(end).as("seed %d", seed).isInstanceOf(Decision.Done.class);
      assertOnly(simulator, World.OLD);
      assertThat(simulator.done).doesNotContain(EffectKind.SUPPLY);
      world.broken.clear();
      world.checkLaw("it was put back");
      assertThat(world.broken).as("seed %d", seed).isEmpty();
    }
  }

  /** Where its owner has fetched the private key, somebody may be using it. */
  @Test
  void aKeyThatWasGivenOutIsWatchedAlsoOnTheWayBack() {
    for (int seed = 0; seed < 20; seed++) {
      World world = World.generate(new Random(seed));
      world.ties.forEach(tie -> world.silent.add(tie.id()));
      world.crowded.addAll(world.registered.keySet());
      Simulator simulator = new Simulator(world, i -> Fault.NONE);
      for (int i = 0; i < LONG && !simulator.done.contains(EffectKind.PLACE); i++) {
        simulator.run(1);
      }
      simulator.giveOut();
      simulator.direction(Direction.ROLLING_BACK);
      simulator.run(LONG);
      assertThat(simulator.done).doesNotContain(EffectKind.WITHDRAW);
    }
  }

  /** Whatever lands late, and however late, nothing that was made to rest on it breaks. */
  @Test
  void whatLandsLateBreaksNothingAlsoAfterARollBack() {
    int destroyed = 0;
    for (int seed = 0; seed < some(300); seed++) {
      Simulator simulator = late(seed, true);
      if (simulator.context.fresh().isPresent()) {
        destroyed += simulator.destroyWhatLeft(400) ? 1 : 0;
      }
      simulator.pass(200);
      assertThat(simulator.world.broken).as("seed %d", seed).isEmpty();
      assertThat(simulator.world.late).as("seed %d: nothing is left to land", seed).isEmpty();
    }
    assertThat(destroyed).as("private keys are destroyed in the end").isGreaterThan(some(250));
  }

  /** The oracle itself: what lands late does break clients where nobody makes it impossible. */
  @Test
  void theOracleSeesALateLanding() {
    int broken = 0;
    for (int seed = 0; seed < some(300); seed++) {
      Simulator simulator = late(seed, false);
      simulator.pass(200);
      broken += simulator.world.broken.isEmpty() ? 0 : 1;
    }
    assertThat(broken).isPositive();
  }

  /** A rotation with late effects, rolled back half way every other time, at its end. */
  private static Simulator late(int seed, boolean settles) {
    Random random = new Random(seed);
    Simulator simulator =
        new Simulator(
            World.generate(random),
            i -> random.nextInt(4) == 0 ? List.of(Fault.LATE, Fault.HANGS).get(i % 2) : Fault.NONE);
    simulator.settles = settles;
    if (!settles) {
      simulator.ignoresUnsettled = true;
    }
    if (seed % 2 == 0) {
      for (int i = 0; i < 300 && simulator.effects() < 4 + seed % 20; i++) {
        simulator.run(1);
      }
      if (!simulator.done.contains(EffectKind.CLEAR)) {
        simulator.direction(Direction.ROLLING_BACK);
      }
    }
    simulator.run(2 * LONG);
    return simulator;
  }

  /**
   * Somebody takes the old or the new key out by hand between any two steps, and a sweep reads it:
   * the rotation comes to its end, and what is on record is what is there.
   */
  @ParameterizedTest
  @EnumSource(
      value = Direction.class,
      names = {"RUNNING", "ROLLING_BACK"})
  void aKeyTakenOutByHandEndsItsPlacement(Direction direction) {
    int removed = 0;
    for (int seed = 0; seed < some(40); seed++) {
      for (int step = 0; step < 40; step++) {
        Random random = new Random(seed);
        World world = World.generate(random);
        Simulator simulator = new Simulator(world, i -> Fault.NONE);
        for (int i = 0; i < 100 && simulator.effects() < step; i++) {
          simulator.run(1);
        }
        Fingerprint key = random.nextBoolean() ? World.OLD : World.FRESH;
        List<AccountId> accounts = List.copyOf(world.registered.keySet());
        AccountId account = accounts.get(random.nextInt(accounts.size()));
        removed += world.removeByHand(account, key) ? 1 : 0;
        simulator.sweep(account);
        if (random.nextBoolean()) {
          world.tick();
          world.tick();
          world.tick();
          simulator.sweep(account);
        }
        if (direction == Direction.ROLLING_BACK && !simulator.done.contains(EffectKind.CLEAR)) {
          simulator.direction(Direction.ROLLING_BACK);
        }
        Decision end = simulator.run(LONG);
        String what = "seed " + seed + ", step " + step;
        assertThat(world.broken).as(what).isEmpty();
        assertThat(end).as(what).isInstanceOf(Decision.Done.class);
        if (simulator.context.fresh().isEmpty()) {
          continue;
        }
        assertThat(simulator.destroyWhatLeft(60)).as(what).isTrue();
        for (AccountId each : accounts) {
          assertThat(world.accepts(each, simulator.context.from())).as(what).isFalse();
          assertThat(simulator.isPlacedOnRecord(each, simulator.context.from())).as(what).isFalse();
          assertThat(simulator.isPlacedOnRecord(each, simulator.context.to()))
              .as(what)
              .isEqualTo(world.accepts(each, simulator.context.to()));
        }
      }
    }
    assertThat(removed).as("removals that happened").isGreaterThan(some(300));
  }

  /**
   * A rotation and another door that withdraw at the same time do not count on each other's key.
   */
  @Test
  void twoDoorsDoNotCountOnEachOther() {
    int both = 0;
    for (int seed = 0; seed < some(800); seed++) {
      Random random = new Random(seed);
      World world = World.generate(random);
      Simulator simulator = new Simulator(world, i -> Fault.NONE);
      int when = random.nextInt(60);
      for (int i = 0; i < when; i++) {
        simulator.run(1);
      }
      AccountId account = world.registered.keySet().iterator().next();
      Fingerprint key = random.nextBoolean() ? World.OTHER : World.OLD;
      if (world.accepts(account, key) && simulator.withdrawByOtherDoor(account, key)) {
        simulator.run(random.nextInt(6));
        simulator.carryOutOtherDoor(account, key);
        both++;
      }
      simulator.run(LONG);
      assertThat(world.broken).as("seed %d", seed).isEmpty();
    }
    assertThat(both).as("withdrawals by the other door").isGreaterThan(some(60));
  }

  /** Nothing outside is changed in a freeze, whenever it begins; afterwards it goes on. */
  @Test
  void nothingIsChangedInAFreeze() {
    int held = 0;
    for (int seed = 0; seed < some(300); seed++) {
      Random random = new Random(seed);
      Simulator simulator = new Simulator(World.generate(random), i -> Fault.NONE);
      Instant begun = simulator.world.now;
      for (int i = random.nextInt(3); i >= 0; i--) {
        Instant from = begun.plusSeconds(random.nextInt(60));
        simulator.freezes.add(new Freeze(from, from.plusSeconds(random.nextInt(90)), "the peak"));
      }
      Decision end = simulator.run(2 * LONG);
      assertThat(end).as("seed %d", seed).isInstanceOf(Decision.Done.class);
      assertThat(simulator.world.broken).as("seed %d", seed).isEmpty();
      assertThat(changedInAFreeze(simulator)).as("seed %d", seed).isEmpty();
      assertOnly(simulator, World.FRESH);
      held += simulator.freezes.get(0).until().isAfter(begun.plusSeconds(20)) ? 1 : 0;
    }
    assertThat(held).as("freezes long enough to matter").isGreaterThan(some(200));
  }

  /** What brings the old key back is not held by a freeze. */
  @Test
  void aRollBackGoesOnInAFreeze() {
    for (int seed = 0; seed < some(100); seed++) {
      Simulator simulator = new Simulator(World.generate(new Random(seed)), i -> Fault.NONE);
      for (int i = 0; i < 100 && simulator.effects() < 2 + seed % 20; i++) {
        simulator.run(1);
      }
      if (simulator.done.contains(EffectKind.CLEAR)) {
        continue;
      }
      Instant now = simulator.world.now;
      simulator.freezes.add(new Freeze(now, now.plusSeconds(100 * LONG), "the peak"));
      simulator.direction(Direction.ROLLING_BACK);
      assertThat(simulator.run(LONG)).as("seed %d", seed).isInstanceOf(Decision.Done.class);
      assertThat(simulator.world.broken).as("seed %d", seed).isEmpty();
      assertOnly(simulator, World.OLD);
    }
  }

  private static List<Attempt> changedInAFreeze(Simulator simulator) {
    Set<EffectKind> outside =
        Set.of(EffectKind.PLACE, EffectKind.SUPPLY, EffectKind.RELOAD, EffectKind.WITHDRAW);
    return simulator.history.stream()
        .filter(a -> outside.contains(a.effect().kind()))
        .filter(a -> simulator.freezes.stream().anyMatch(f -> f.covers(a.startedAt())))
        .toList();
  }

  /**
   * Other rotations are at its accounts and seats every now and then, and place and withdraw keys
   * of their own there: it waits for them, and none of their entries is lost.
   */
  @Test
  void otherRotationsAtTheSamePlacesLoseNothing() {
    int busy = 0;
    for (int seed = 0; seed < some(200); seed++) {
      Random random = new Random(seed);
      World world = World.generate(random);
      Simulator simulator = new Simulator(world, i -> Fault.NONE);
      List<AccountId> accounts = List.copyOf(world.registered.keySet());
      List<SeatId> seats = List.copyOf(world.offers.keySet());
      for (int i = 0; i < LONG; i++) {
        if (random.nextInt(4) == 0) {
          AccountId account = accounts.get(random.nextInt(accounts.size()));
          Instant until = world.now.plusSeconds(1 + random.nextInt(5));
          simulator.reserved.put(account.value(), until);
          simulator.reserved.put(seats.get(random.nextInt(seats.size())).value(), until);
          Fingerprint theirs = new Fingerprint("SHA256:" + "t".repeat(42) + random.nextInt(3));
          List<Registered> entries = world.registered.get(account);
          if (!entries.removeIf(r -> r.key().equals(theirs))) {
            entries.add(new Registered(theirs, "another rotation's line"));
          }
          world.foreignAtFirst = world.foreign();
        }
        if (simulator.run(1) instanceof Decision.Done) {
          break;
        }
      }
      simulator.reserved.clear();
      assertThat(simulator.run(LONG)).as("seed %d", seed).isInstanceOf(Decision.Done.class);
      assertThat(world.broken).as("seed %d", seed).isEmpty();
      assertOnly(simulator, World.FRESH);
      busy += simulator.busy;
    }
    assertThat(busy).as("how often somebody else was at it").isGreaterThan(some(500));
  }

  @Test
  void somebodyElsesEditIsNoticedAndMadeGood() {
    for (int seed = 0; seed < some(100); seed++) {
      Random random = new Random(seed);
      World world = World.generate(random);
      Simulator simulator = new Simulator(world, i -> Fault.NONE);
      int when = random.nextInt(20);
      for (int i = 0; i < when; i++) {
        simulator.run(1);
      }
      boolean seatsSwitched =
          world.offers.values().stream().anyMatch(keys -> keys.contains(World.FRESH));
      if (!seatsSwitched) {
        world.registered.values().forEach(l -> l.removeIf(r -> r.key().equals(World.FRESH)));
      }
      assertThat(simulator.run(LONG)).as("seed %d", seed).isInstanceOf(Decision.Done.class);
      assertThat(world.broken).as("seed %d", seed).isEmpty();
    }
  }

  @Test
  void aClientThatNeverUsesTheNewKeyHoldsTheWithdrawalAndIsReported() {
    World world = World.generate(new Random(1));
    world.silent.add(world.ties.get(0).id());
    Simulator simulator = new Simulator(world, i -> Fault.NONE);
    assertThat(simulator.run(LONG))
        .isInstanceOfSatisfying(
            Decision.Wait.class,
            wait -> {
              assertThat(wait.person()).isTrue();
              assertThat(wait.reason()).contains("tie 0", "not yet signed in");
            });
    assertThat(world.lines(World.OLD)).hasSize(world.registered.size());
  }

  /** Also where it is not the effect itself that gets no answer, but a reading that it rests on. */
  @Test
  void aHostThatNeverAnswersIsAskedEverMoreSeldom() {
    int hour = 3600;
    for (int from = 0; from < 25; from++) {
      int moment = from;
      World world = World.generate(new Random(from));
      Simulator simulator =
          new Simulator(
              world,
              i -> {
                if (i == moment) {
                  Instant later = world.now.plusSeconds(2L * hour);
                  world.registered.keySet().forEach(a -> world.hanging.put(a.value(), later));
                  world.offers.keySet().forEach(s -> world.hanging.put(s.value(), later));
                }
                return Fault.NONE;
              });
      simulator.run(hour);
      assertThat(simulator.attempts() - moment).as("from effect %s on", from).isLessThan(120);
    }
  }

  @Test
  void anUnknownUserOfTheOldKeyHoldsTheWithdrawalAndIsNamed() {
    World world = World.generate(new Random(1));
    Simulator simulator = new Simulator(world, i -> Fault.NONE);
    AccountId account = world.registered.keySet().iterator().next();
    Decision move = null;
    for (int i = 0; i < LONG; i++) {
      move = simulator.run(1);
      world.signedIn(new World.SignedIn(account, World.OLD, "10.9.9.9", world.now));
    }
    assertThat(move)
        .isInstanceOfSatisfying(
            Decision.Wait.class,
            wait -> assertThat(wait.reason()).contains("10.9.9.9", "nobody told us of"));
    assertThat(world.lines(World.OLD)).containsKey(account);
  }

  @Test
  void aBlindFeedIsAskedAboutAndNeverTakenForSilence() {
    Simulator simulator = new Simulator(World.generate(new Random(2)), i -> Fault.NONE);
    simulator.breakFeed();
    assertThat(simulator.run(LONG))
        .isInstanceOfSatisfying(
            Decision.Ask.class,
            ask -> assertThat(ask.question().kind()).isEqualTo(Question.Kind.USES_NOT_SEEN));
    assertThat(simulator.done).doesNotContain(EffectKind.WITHDRAW);
  }

  @Test
  void anEntryThatSomebodyChangedIsNotTakenOut() {
    Simulator simulator = new Simulator(World.generate(new Random(3)), i -> Fault.NONE);
    simulator
        .world
        .registered
        .values()
        .forEach(
            lines ->
                lines.replaceAll(
                    r -> r.key().equals(World.OLD) ? new Registered(World.OLD, "changed") : r));
    assertThat(simulator.run(LONG))
        .isInstanceOfSatisfying(
            Decision.Wait.class, wait -> assertThat(wait.reason()).contains("somebody changed it"));
  }

  @Test
  void thePlanIsWhatIsThenDone() {
    for (int seed = 0; seed < 20; seed++) {
      Simulator simulator = new Simulator(World.generate(new Random(seed)), i -> Fault.NONE);
      simulator.run(1); // the key is made
      simulator.direction(Direction.PLANNED);
      simulator.run(1); // everything is read
      simulator.direction(Direction.RUNNING);
      Plan plan = Plan.of(simulator.snapshot(), simulator.context);
      assertThat(plan.obstacle()).isEmpty();
      simulator.run(LONG);
      assertThat(
              simulator.history.stream()
                  .map(Attempt::effect)
                  .filter(e -> e.kind() != EffectKind.LOOK && e.kind() != EffectKind.GENERATE)
                  .distinct())
          .containsExactlyElementsOf(
              plan.steps().stream()
                  .flatMap(s -> s.effect().stream())
                  .map(Effect::id)
                  .filter(e -> e.kind() != EffectKind.LOOK && e.kind() != EffectKind.GENERATE)
                  .distinct()
                  .toList());
    }
  }

  @Test
  void whatWouldBreakWithoutAKeyIsKnown() {
    for (int seed = 0; seed < 40; seed++) {
      World world = World.generate(new Random(seed));
      Simulator simulator = new Simulator(world, i -> Fault.NONE);
      simulator.direction(Direction.PLANNED);
      simulator.run(20);
      List<Dependence> all = Dependence.on(World.OLD, simulator.snapshot());
      assertThat(all).hasSameSizeAs(world.ties);
      for (Dependence one : all) {
        boolean goesOn =
            world.effective(one.tie().seat()).stream()
                .anyMatch(k -> !k.equals(World.OLD) && world.accepts(one.tie().account(), k));
        assertThat(one.breaks()).as("seed %d, %s", seed, one).isEqualTo(!goesOn);
      }
      simulator.direction(Direction.RUNNING);
      simulator.run(LONG);
      assertThat(Dependence.on(World.OLD, simulator.snapshot())).isEmpty();
    }
  }

  /** The oracle itself: an order that is wrong must be seen. */
  @Test
  void theOracleSeesAWrongOrder() {
    World world = World.generate(new Random(6));
    AccountId account = world.registered.keySet().iterator().next();
    world.apply(new Effect.Withdraw(account, World.OLD, "old line"));
    assertThat(world.broken).isNotEmpty();
    World other = World.generate(new Random(6));
    other.apply(new Effect.Supply(other.offers.keySet().iterator().next(), World.FRESH));
    assertThat(other.broken).isNotEmpty();
  }

  private static void assertOnly(Simulator simulator, Fingerprint key) {
    Fingerprint other = key.equals(World.OLD) ? World.FRESH : World.OLD;
    World world = simulator.world;
    assertThat(world.lines(other)).isEmpty();
    assertThat(world.lines(key)).hasSize(world.registered.size());
    assertThat(world.offers.values())
        .isNotEmpty()
        .allMatch(keys -> keys.contains(key) && !keys.contains(other))
        .allMatch(keys -> keys.size() == 1 || keys.contains(World.OTHER));
    assertThat(world.keeps.values()).allMatch(keys -> !keys.contains(other));
    assertThat(world.foreign()).as("strangers are left alone").isEqualTo(world.foreignAtFirst);
  }
}
