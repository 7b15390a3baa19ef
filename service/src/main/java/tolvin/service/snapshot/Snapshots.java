package tolvin.service.snapshot;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import tolvin.core.estate.Account;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.AccountProof;
import tolvin.core.estate.Feed;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Seat;
import tolvin.core.estate.SeatId;
import tolvin.core.estate.SeatProof;
import tolvin.core.estate.Snapshot;
import tolvin.core.estate.Tie;
import tolvin.core.estate.TieId;
import tolvin.core.estate.Use;
import tolvin.core.key.Fingerprint;
import tolvin.core.rotation.RotationContext;
import tolvin.service.coffer.Coffer;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.integration.IntegrationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.rotation.StoredEffect;
import tolvin.service.record.rotation.StoredQuestion;
import tolvin.service.record.usage.FeedRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;
import tolvin.service.schedule.Schedule;
import tolvin.service.store.ClockStore;

/** Puts snapshots together from what is stored. */
@ApplicationScoped
public class Snapshots {
  /** What was used lately shows that a feed works, whatever key it was. */
  private static final Duration LATELY = Duration.ofMinutes(10);

  private final RotationStore rotations;
  private final KeyStore keys;
  private final PlacementStore placements;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final FeedStore feeds;
  private final SeatStore seats;
  private final IntegrationStore integrations;
  private final Access access;
  private final Schedule schedule;
  private final Coffer coffer;
  private final ClockStore clock;

  Snapshots(
      RotationStore rotations,
      KeyStore keys,
      PlacementStore placements,
      AccountStore accounts,
      DestinationStore destinations,
      FeedStore feeds,
      SeatStore seats,
      IntegrationStore integrations,
      Access access,
      Schedule schedule,
      Coffer coffer,
      ClockStore clock) {
    this.rotations = rotations;
    this.keys = keys;
    this.placements = placements;
    this.accounts = accounts;
    this.destinations = destinations;
    this.feeds = feeds;
    this.seats = seats;
    this.integrations = integrations;
    this.access = access;
    this.schedule = schedule;
    this.coffer = coffer;
    this.clock = clock;
  }

  /** What is known of one account and of its clients, as far as it concerns some keys. */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  public Snapshot ofAccount(UUID account, Set<String> fingerprints) {
    rotations.readOneMoment();
    List<KeyRow> known = fingerprints.stream().flatMap(f -> keys.live(f).stream()).toList();
    return of(
        fingerprints,
        known,
        null,
        placements.liveOnAccounts(List.of(account)),
        Set.of(),
        Set.of(account));
  }

  /** A key, and all that has to do with it, at one moment. */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  public Snapshot ofKey(UUID keyId) {
    rotations.readOneMoment();
    return of(List.of(keys.get(keyId)), null, clock.now());
  }

  /** The situation of a rotation, all of it at one moment, whoever writes meanwhile. */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  public Situation situation(UUID rotationId) {
    rotations.readOneMoment();
    RotationRow row = rotations.get(rotationId);
    List<KeyRow> both =
        keys.byIds(Stream.of(row.oldKeyId, row.newKeyId).filter(Objects::nonNull).toList());
    KeyRow old = both.stream().filter(k -> k.id.equals(row.oldKeyId)).findFirst().orElseThrow();
    Optional<KeyRow> fresh = both.stream().filter(k -> k.id.equals(row.newKeyId)).findFirst();
    Set<Fingerprint> held =
        both.stream()
            .filter(k -> coffer.holds(Coffer.PRIVATE_KEY, k.id))
            .map(k -> new Fingerprint(k.fingerprint))
            .collect(Collectors.toSet());
    RotationContext context =
        new RotationContext(
            new Fingerprint(old.fingerprint),
            fresh.map(k -> new Fingerprint(k.fingerprint)),
            row.direction,
            row.plannedAt,
            Duration.ofSeconds(row.watchSeconds),
            held,
            keys.givenOut(both).stream().map(k -> new Fingerprint(k.fingerprint)).collect(toSet()),
            row.approved.stream().map(StoredEffect::id).collect(toSet()),
            row.accepted.stream().map(StoredQuestion::question).collect(toSet()));
    return new Situation(
        rotationId,
        row.stage,
        of(both, rotationId, row.plannedAt),
        context,
        rotations.history(rotationId));
  }

  /**
   * What has to be known before the private key of a key that is out of use may be destroyed.
   *
   * @param sameSince when each seat was first read as offering what it offers now
   */
  public record Leftover(Snapshot snapshot, Map<SeatId, Instant> sameSince) {}

  /** Every account that a key ever stood on, every seat that ever offered it. */
  @Transactional(Transactional.TxType.REQUIRES_NEW)
  public Leftover leftover(UUID keyId) {
    rotations.readOneMoment();
    KeyRow key = keys.get(keyId);
    List<SeatRow> offering =
        seats.everOffering(key.fingerprint).stream().filter(s -> s.validUntil == null).toList();
    Snapshot snapshot =
        of(
            prints(List.of(key)),
            List.of(key),
            null,
            placements.everOfKeys(List.of(keyId)),
            offering.stream().map(s -> s.id).collect(toSet()),
            Set.of());
    Map<SeatId, Instant> sameSince = new HashMap<>();
    offering.stream()
        .filter(s -> s.sameSince != null)
        .forEach(s -> sameSince.put(new SeatId(s.id), s.sameSince));
    return new Leftover(snapshot, sameSince);
  }

  private Snapshot of(List<KeyRow> concerned, UUID rotationId, Instant since) {
    return of(
        prints(concerned),
        concerned,
        rotationId,
        placements.concerning(concerned.stream().map(k -> k.id).toList(), since),
        Set.of(),
        Set.of());
  }

  private static Set<String> prints(List<KeyRow> rows) {
    return rows.stream().map(k -> k.fingerprint).collect(toSet());
  }

  /**
   * A snapshot.
   *
   * @param fingerprints the keys that it is about
   * @param concerned those of them that are on record
   * @param placed where they are or were placed
   * @param moreSeats seats that belong to it besides
   * @param moreAccounts accounts likewise
   */
  private Snapshot of(
      Set<String> fingerprints,
      List<KeyRow> concerned,
      UUID rotationId,
      List<PlacementRow> placed,
      Set<UUID> moreSeats,
      Set<UUID> moreAccounts) {
    Instant now = clock.now();
    Set<UUID> accountIds =
        placed.stream().map(p -> p.accountId).collect(Collectors.toCollection(LinkedHashSet::new));
    accountIds.addAll(moreAccounts);
    Set<UUID> seatIds =
        seats.tiesOfAccounts(accountIds).stream().map(t -> t.seatId).collect(toSet());
    seatIds.addAll(moreSeats);
    List<SeatRow> seatRows =
        seats.byIds(seatIds).stream()
            .filter(s -> s.validUntil == null && mayOffer(s, fingerprints))
            .toList();
    List<TieRow> tieRows = seats.tiesOfSeats(seatRows.stream().map(s -> s.id).toList());
    tieRows.forEach(t -> accountIds.add(t.accountId));
    List<AccountRow> accountRows = accounts.byIds(accountIds);

    Map<UUID, DestinationRow> destinationRows = new HashMap<>();
    accountRows.forEach(a -> destinationRows.computeIfAbsent(a.destinationId, destinations::get));
    seatRows.stream()
        .filter(s -> s.destinationId != null)
        .forEach(s -> destinationRows.computeIfAbsent(s.destinationId, destinations::get));
    Set<String> offered =
        Stream.concat(fingerprints.stream(), seatRows.stream().flatMap(s -> s.offers.stream()))
            .collect(toSet());
    List<UseRow> uses = feeds.usesFor(accountIds, offered, now.minus(LATELY));
    Map<UUID, TieSeen> seen = seen(seatRows, feeds.clients(accountIds));
    List<TrialRow> trials =
        placements.trials(accountIds, concerned.stream().map(k -> k.id).toList());
    Map<UUID, List<PlacementRow>> live =
        placements.liveOnAccounts(accountIds).stream()
            .collect(Collectors.groupingBy(p -> p.accountId));
    Map<UUID, String> prints =
        keys
            .byIds(
                Stream.concat(
                        concerned.stream().map(k -> k.id),
                        live.values().stream().flatMap(List::stream).map(p -> p.keyId))
                    .collect(toSet()))
            .stream()
            .collect(Collectors.toMap(k -> k.id, k -> k.fingerprint));
    Standing standing =
        new Standing(
            live,
            placed.stream()
                .filter(p -> p.lostAt != null || p.state == PlacementState.WITHDRAWN)
                .collect(Collectors.groupingBy(p -> p.accountId)),
            prints,
            placements.ownTrialsSeen(accountIds),
            rotationId);
    Set<UUID> resources = new HashSet<>(accountIds);
    seatRows.forEach(s -> resources.add(s.id));
    return new Snapshot(
        now,
        accountRows.stream()
            .map(a -> account(a, destinationRows.get(a.destinationId), standing))
            .collect(Collectors.toMap(Account::id, Function.identity())),
        seatRows.stream()
            .map(s -> seat(s, destinationRows.get(s.destinationId), seen.get(s.id)))
            .collect(Collectors.toMap(Seat::id, Function.identity())),
        ties(tieRows, seatRows, accountRows, destinationRows, seen),
        uses.stream().map(Snapshots::use).toList(),
        proofs(trials, prints),
        seats.seatTrials(tieRows.stream().map(t -> t.id).toList()).stream()
            .filter(t -> t.accepted)
            .map(t -> new SeatProof(new TieId(t.tieId), new Fingerprint(t.fingerprint), t.madeAt))
            .toList(),
        schedule.freezes(now),
        rotations.promised(rotationId, accountIds).stream().map(Fingerprint::new).collect(toSet()),
        rotations.unsettled(resources));
  }

  /**
   * What stands on the accounts of a snapshot, on record.
   *
   * @param live the placements that are not over
   * @param over those that are, by a rotation or since somebody else took them out
   * @param prints the fingerprints of keys
   * @param ownSeen when Tolvin's own last trial showed up in the feed
   */
  private record Standing(
      Map<UUID, List<PlacementRow>> live,
      Map<UUID, List<PlacementRow>> over,
      Map<UUID, String> prints,
      Map<UUID, Instant> ownSeen,
      UUID rotation) {

    private Set<Fingerprint> keys(
        Map<UUID, List<PlacementRow>> of, UUID account, Predicate<PlacementRow> which) {
      return of.getOrDefault(account, List.of()).stream()
          .filter(which)
          .flatMap(p -> Optional.ofNullable(prints.get(p.keyId)).stream())
          .map(Fingerprint::new)
          .collect(toSet());
    }

    Account.Losses losses(UUID account) {
      return new Account.Losses(
          keys(live, account, p -> p.missingSince != null),
          keys(over, account, p -> p.lostAt != null || PlacementRow.TAKEN_OUT.equals(p.reason)),
          keys(
              live,
              account,
              p ->
                  p.state == PlacementState.WITHDRAWING
                      && (rotation == null || !rotation.equals(p.rotationId))));
    }
  }

  /** A seat that was never read may hold anything. */
  private static boolean mayOffer(SeatRow seat, Set<String> fingerprints) {
    return seat.readAt == null
        || Stream.of(seat.offers, seat.keeps, seat.everOffered)
            .flatMap(Collection::stream)
            .anyMatch(fingerprints::contains);
  }

  private Account account(AccountRow row, DestinationRow at, Standing standing) {
    Map<Fingerprint, String> placed = new HashMap<>();
    for (PlacementRow p : standing.live().getOrDefault(row.id, List.of())) {
      placed.put(new Fingerprint(standing.prints().get(p.keyId)), p.line);
    }
    return new Account(
        new AccountId(row.id),
        row.login + "@" + at.name,
        row.holds,
        Duration.ofSeconds(at.propagationSeconds),
        row.registered.stream().map(AccountRow.Entry::asRegistered).toList(),
        Optional.ofNullable(row.readAt),
        placed,
        access
            .kind(row)
            .map(kind -> kind.ability().reportsUse().isPresent())
            .map(told -> told ? toldFeed(row, standing.ownSeen()) : Feed.NONE)
            .orElseGet(() -> feed(row, at, standing.ownSeen())),
        Optional.ofNullable(at.stoppedBecause),
        standing.losses(row.id));
  }

  /** Uses are told where the account signs in, which need not be where its keys are kept. */
  private Feed feed(AccountRow account, DestinationRow at, Map<UUID, Instant> ownSeen) {
    Optional<FeedRow> feed = feeds.find(at.signsInAtId == null ? at.id : at.signsInAtId);
    if (feed.isEmpty() || feed.get().unbrokenSince == null) {
      return Feed.NONE;
    }
    return new Feed(
        Optional.of(feed.get().unbrokenSince),
        Optional.ofNullable(feed.get().readTo),
        Optional.ofNullable(ownSeen.get(account.id)));
  }

  /** A destination that tells the last use of each key forgets none, however seldom it is asked. */
  private static Feed toldFeed(AccountRow account, Map<UUID, Instant> ownSeen) {
    return account.readAt == null
        ? Feed.NONE
        : new Feed(
            Optional.of(account.validFrom),
            Optional.of(account.readAt),
            Optional.ofNullable(ownSeen.get(account.id)));
  }

  private static Map<UUID, TieSeen> seen(List<SeatRow> rows, List<FeedStore.ClientSeen> clients) {
    return rows.stream().collect(Collectors.toMap(s -> s.id, s -> TieSeen.of(s, clients)));
  }

  /** A client that nobody knows to go on after a refusal is taken not to. */
  private static boolean fallsBack(SeatRow row, TieSeen seen) {
    return Boolean.TRUE.equals(row.fallsBack) || seen.fellBackAt() != null;
  }

  private static Seat seat(SeatRow row, DestinationRow host, TieSeen seen) {
    return new Seat(
        new SeatId(row.id),
        row.path + " on " + (host == null ? row.machine : host.name),
        row.offers.stream().map(Fingerprint::new).toList(),
        row.keeps.stream().map(Fingerprint::new).collect(toSet()),
        Optional.ofNullable(row.readAt),
        row.effectCommand.isEmpty() || row.effectAt.isBefore(row.offersSince)
            ? row.offersSince
            : row.effectAt,
        row.everOffered.stream().map(Fingerprint::new).collect(toSet()),
        host == null ? Optional.empty() : Optional.ofNullable(host.stoppedBecause),
        row.triesItself,
        row.keepsFormer,
        reload(row),
        fallsBack(row, seen));
  }

  private static Seat.Reload reload(SeatRow row) {
    return row.effectCommand.isEmpty()
        ? Seat.Reload.NOT_NEEDED
        : row.effectAt.isBefore(row.offersSince) ? Seat.Reload.DUE : Seat.Reload.DONE;
  }

  private List<Tie> ties(
      List<TieRow> rows,
      List<SeatRow> seatRows,
      List<AccountRow> accountRows,
      Map<UUID, DestinationRow> destinationRows,
      Map<UUID, TieSeen> seen) {
    Map<UUID, SeatRow> seatById =
        seatRows.stream().collect(Collectors.toMap(s -> s.id, Function.identity()));
    Map<UUID, AccountRow> accountById =
        accountRows.stream().collect(Collectors.toMap(a -> a.id, Function.identity()));
    return rows.stream()
        .map(
            t -> {
              SeatRow seat = seatById.get(t.seatId);
              AccountRow account = accountById.get(t.accountId);
              return new Tie(
                  new TieId(t.id),
                  integrations.get(seat.integrationId).name
                      + " → "
                      + account.login
                      + "@"
                      + destinationRows.get(account.destinationId).name,
                  new SeatId(t.seatId),
                  new AccountId(t.accountId),
                  seat.address,
                  Duration.ofSeconds(t.expectedIntervalSeconds),
                  longestSession(t, seen.get(t.seatId)));
            })
        .toList();
  }

  /** A connection that lasted longer than anybody said counts as it was seen. */
  private static Duration longestSession(TieRow tie, TieSeen seen) {
    Duration said = Duration.ofSeconds(tie.longestSessionSeconds);
    return seen.longestSession() == null || seen.longestSession().compareTo(said) < 0
        ? said
        : seen.longestSession();
  }

  private static Use use(UseRow row) {
    return new Use(
        new AccountId(row.accountId),
        new Fingerprint(row.fingerprint),
        row.address,
        row.earliest,
        row.latest,
        row.readIn);
  }

  private static List<AccountProof> proofs(List<TrialRow> trials, Map<UUID, String> prints) {
    return trials.stream()
        .filter(t -> t.accepted)
        .map(
            t ->
                new AccountProof(
                    new AccountId(t.accountId), new Fingerprint(prints.get(t.keyId)), t.madeAt))
        .toList();
  }

  private static <T> java.util.stream.Collector<T, ?, Set<T>> toSet() {
    return Collectors.toSet();
  }
}
