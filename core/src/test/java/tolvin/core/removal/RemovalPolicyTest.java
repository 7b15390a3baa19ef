package tolvin.core.removal;

import static org.assertj.core.api.Assertions.assertThat;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.function.Consumer;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import tolvin.core.estate.Account;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.Feed;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Seat;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.estate.TieId;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;
import tolvin.core.removal.Removal.Door;

/** Every way in which a key can stop working, with everything that may stand against it. */
class RemovalPolicyTest {
  private static final Instant NOW = Instant.parse("2026-11-29T06:00:00Z");
  private static final Fingerprint GOES = new Fingerprint("SHA256:" + "g".repeat(43));
  private static final Fingerprint STAYS = new Fingerprint("SHA256:" + "s".repeat(43));
  private static final AccountId ACCOUNT = new AccountId(new UUID(1, 1));
  private static final SeatId SEAT = new SeatId(new UUID(2, 1));

  /** What is known; as it is, one client offers both keys, both are accepted, all was just read. */
  private static final class Known {
    List<Fingerprint> offers = List.of(GOES, STAYS);
    List<Registered> registered =
        new ArrayList<>(List.of(new Registered(GOES, "goes"), new Registered(STAYS, "stays")));
    boolean fallsBack = true;
    boolean client = true;
    Optional<Instant> accountRead = Optional.of(NOW.minusSeconds(3));
    Optional<Instant> seatRead = Optional.of(NOW.minusSeconds(3));
    Instant offersSince = NOW.minus(Duration.ofDays(200));
    Optional<String> stopped = Optional.empty();
    Set<Fingerprint> leaving = Set.of();
    Set<Fingerprint> promised = Set.of();
    Map<UUID, Instant> unsettled = new HashMap<>();
    List<Use> uses = new ArrayList<>();

    void used(Fingerprint key, String address, int daysAgo) {
      Instant at = NOW.minus(Duration.ofDays(daysAgo));
      uses.add(new Use(ACCOUNT, key, address, at, at));
    }

    Snapshot snapshot() {
      Account account =
          new Account(
              ACCOUNT,
              "boats@sftp",
              5,
              Duration.ZERO,
              registered,
              accountRead,
              Map.of(GOES, "goes"),
              Feed.NONE,
              stopped,
              new Account.Losses(Set.of(), Set.of(), leaving));
      Seat seat =
          new Seat(
              SEAT,
              "/home/boats/id on apps",
              offers,
              Set.of(),
              seatRead,
              offersSince,
              Set.copyOf(offers),
              Optional.empty(),
              false,
              true,
              Seat.Reload.NOT_NEEDED,
              fallsBack);
      Tie tie =
          new Tie(
              new TieId(new UUID(3, 1)),
              "boats → boats@sftp",
              SEAT,
              ACCOUNT,
              "10.0.0.1",
              Duration.ofHours(1),
              Duration.ZERO);
      return new Snapshot(
          NOW,
          Map.of(ACCOUNT, account),
          Map.of(SEAT, seat),
          client ? List.of(tie) : List.of(),
          uses,
          List.of(),
          List.of(),
          List.of(),
          promised,
          unsettled);
    }
  }

  private record Case(String name, Class<? extends Loss> loss, Consumer<Known> known) {
    @Override
    public String toString() {
      return name;
    }
  }

  private static Case of(String name, Class<? extends Loss> loss, Consumer<Known> known) {
    return new Case(name, loss, known);
  }

  private static final List<Case> CASES =
      List.of(
          of("both offered and accepted", null, k -> {}),
          of("the only key offered", Loss.Breaks.class, k -> k.offers = List.of(GOES)),
          of("the other not accepted", Loss.Breaks.class, k -> k.registered.remove(1)),
          of("tries its first key only", Loss.Breaks.class, k -> k.fallsBack = false),
          of(
              "the other has ended",
              Loss.Breaks.class,
              k ->
                  k.registered.set(
                      1,
                      new Registered(
                          STAYS,
                          "stays",
                          Optional.of(NOW.minusSeconds(1)),
                          Registered.Details.NONE))),
          of("the other is withdrawn, too", Loss.Breaks.class, k -> k.leaving = Set.of(STAYS)),
          of("the other is rotated away", Loss.Breaks.class, k -> k.promised = Set.of(STAYS)),
          of(
              "a client that was never read may offer anything",
              Loss.Breaks.class,
              k -> {
                k.seatRead = Optional.empty();
                k.offers = List.of();
              }),
          of("offers another", null, k -> k.offers = List.of(STAYS)),
          of("not accepted anyway", null, k -> k.registered.remove(0)),
          of("no client at all", null, k -> k.client = false),
          of("somebody unknown used it", Loss.UsedLately.class, k -> k.used(GOES, "10.9.9.9", 89)),
          of("that was long ago", null, k -> k.used(GOES, "10.9.9.9", 91)),
          of(
              "nobody says from where",
              Loss.UsedLately.class,
              k -> {
                k.used(GOES, Use.NOT_SAID, 5);
                k.used(STAYS, Use.NOT_SAID, 4);
              }),
          of(
              "who went on with the other",
              null,
              k -> {
                k.used(GOES, "10.9.9.9", 5);
                k.used(STAYS, "10.9.9.9", 4);
              }),
          of(
              "who went back to it",
              Loss.UsedLately.class,
              k -> {
                k.used(STAYS, "10.9.9.9", 5);
                k.used(GOES, "10.9.9.9", 4);
              }),
          of(
              "who went on with one that goes as well",
              Loss.UsedLately.class,
              k -> {
                k.client = false;
                k.used(GOES, "10.9.9.9", 5);
                k.used(STAYS, "10.9.9.9", 4);
                k.leaving = Set.of(STAYS);
              }),
          of("the client itself used it", null, k -> k.used(GOES, "10.0.0.1", 1)),
          of(
              "the client, before it was switched",
              null,
              k -> {
                k.offers = List.of(STAYS);
                k.offersSince = NOW.minus(Duration.ofDays(1));
                k.used(GOES, "10.0.0.1", 2);
              }),
          of(
              "somebody beside the client, since",
              Loss.UsedLately.class,
              k -> {
                k.offers = List.of(STAYS);
                k.offersSince = NOW.minus(Duration.ofDays(3));
                k.used(GOES, "10.0.0.1", 2);
              }),
          of(
              "the account is stopped",
              Loss.Stopped.class,
              k -> k.stopped = Optional.of("host key")),
          of(
              "a change may still land on the account",
              Loss.Unsettled.class,
              k -> k.unsettled.put(ACCOUNT.value(), NOW)),
          of(
              "a change may still land on the seat",
              Loss.Unsettled.class,
              k -> k.unsettled.put(SEAT.value(), NOW)));

  static Stream<Arguments> everyDoorWithEveryCase() {
    return Arrays.stream(Door.values())
        .flatMap(door -> CASES.stream().map(c -> Arguments.of(door, c)));
  }

  @ParameterizedTest
  @MethodSource("everyDoorWithEveryCase")
  void oneAnswerForEveryDoor(Door door, Case c) {
    Known known = new Known();
    c.known.accept(known);
    Removal removal = new Removal(ACCOUNT, Set.of(GOES), door);
    List<Loss> losses = RemovalPolicy.whenPlanned(removal, known.snapshot());
    if (c.loss == null) {
      assertThat(losses).isEmpty();
    } else {
      assertThat(losses).hasOnlyElementsOfType(c.loss).hasSize(1);
      assertThat(losses.get(0).sentence()).endsWith(".").doesNotContain("Optional");
    }
    assertThat(RemovalPolicy.unrecorded(GOES, known.snapshot()))
        .hasSize(c.loss == Loss.UsedLately.class ? 1 : 0);
    if (known.seatRead.isPresent()) {
      assertThat(RemovalPolicy.beforeEffect(removal, known.snapshot())).isEqualTo(losses);
    }
  }

  @Test
  void rightBeforeTheEffectNothingRestsOnAnOldReading() {
    Removal removal = new Removal(ACCOUNT, Set.of(GOES), Door.WITHDRAWAL);
    Known known = new Known();
    known.accountRead = Optional.of(NOW.minusSeconds(31));
    assertThat(RemovalPolicy.beforeEffect(removal, known.snapshot()))
        .containsExactly(new Loss.NotReadLately("boats@sftp"));
    known.accountRead = Optional.of(NOW.minusSeconds(30));
    known.seatRead = Optional.of(NOW.minusSeconds(31));
    assertThat(RemovalPolicy.beforeEffect(removal, known.snapshot()))
        .containsExactly(new Loss.NotReadLately("/home/boats/id on apps"))
        .noneMatch(Loss::mayBeOverruled);
  }

  @Test
  void allKeysAtOnceLeaveNothing() {
    Removal all = new Removal(ACCOUNT, Set.of(GOES, STAYS), Door.SIGN_IN_MODE);
    assertThat(RemovalPolicy.whenPlanned(all, new Known().snapshot()))
        .singleElement()
        .isInstanceOfSatisfying(
            Loss.Breaks.class,
            broken -> assertThat(broken.sentence()).startsWith("boats → boats@sftp could not"));
  }

  /** What a person read may be overruled by them; what nobody knows or may do now may not. */
  @Test
  void onlyWhatAPersonCanJudgeIsOverruled() {
    Loss breaks = new Loss.Breaks(null);
    Loss used = new Loss.UsedLately(null);
    Loss unsettled = new Loss.Unsettled("boats@sftp", NOW);
    Loss old = new Loss.NotReadLately("boats@sftp");
    Loss stopped = new Loss.Stopped(null);
    List<Loss> all = List.of(breaks, used, unsettled, old, stopped);
    assertThat(Loss.open(all, false)).isEqualTo(all);
    assertThat(Loss.open(all, true)).containsExactly(unsettled, old, stopped);
    assertThat(old.sentence()).isEqualTo("boats@sftp has to be read again first.");
  }
}
