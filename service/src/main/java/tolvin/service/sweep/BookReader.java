package tolvin.service.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Registered;
import tolvin.core.key.Fingerprint;
import tolvin.core.sweep.Books;
import tolvin.core.sweep.Seen;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.usage.FeedRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;
import tolvin.service.rulebook.Judgements;

/** Puts together what the books say of some accounts, with few questions to the database. */
@ApplicationScoped
class BookReader {
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final IdentityStore identities;
  private final FeedStore feeds;
  private final SeatStore seats;
  private final Judgements judgements;
  private final Duration unusedAfter;

  BookReader(
      AccountStore accounts,
      DestinationStore destinations,
      PlacementStore placements,
      KeyStore keys,
      IdentityStore identities,
      FeedStore feeds,
      SeatStore seats,
      Judgements judgements,
      @ConfigProperty(name = "tolvin.sweep.unused-after") Duration unusedAfter) {
    this.accounts = accounts;
    this.destinations = destinations;
    this.placements = placements;
    this.keys = keys;
    this.identities = identities;
    this.feeds = feeds;
    this.seats = seats;
    this.judgements = judgements;
    this.unusedAfter = unusedAfter;
  }

  /** What is known of keys, and of whom they belong to. */
  private record KeyBooks(
      Map<String, List<KeyRow>> byPrint,
      Map<UUID, IdentityRow> identities,
      Set<String> namesInForce,
      Map<UUID, List<PlacementRow>> placed,
      Map<UUID, String> accountNames,
      Map<UUID, String> refusals,
      Function<String, Optional<String>> owners) {}

  /**
   * The books of some accounts of one destination, as they are to be compared with what was seen.
   */
  @Transactional(Transactional.TxType.MANDATORY)
  Map<UUID, Books> of(DestinationRow at, List<AccountRow> rows, Map<UUID, Seen> seen) {
    Set<UUID> ids = rows.stream().map(a -> a.id).collect(Collectors.toSet());
    List<PlacementRow> live = placements.liveOnAccounts(ids);
    Map<UUID, List<PlacementRow>> liveOf =
        live.stream().collect(Collectors.groupingBy(p -> p.accountId));
    Set<UUID> leaving = placements.leaving(live.stream().map(p -> p.keyId).collect(toSet()));
    Map<UUID, List<PlacementRow>> lostOf = lost(ids, live);
    Map<UUID, Set<String>> marks = placements.formerMarks(ids);
    KeyBooks known =
        keys(
            at,
            Stream.concat(live.stream(), lostOf.values().stream().flatMap(List::stream)).toList(),
            seen.values());
    Map<UUID, List<UseRow>> uses =
        feeds.uses(ids).stream().collect(Collectors.groupingBy(u -> u.accountId));
    Optional<Instant> usesSince = usesSince(at);
    Map<UUID, Set<String>> needed = needed(ids);
    Set<Fingerprint> own = own(at);
    Map<UUID, Books> books = new HashMap<>();
    for (AccountRow row : rows) {
      books.put(
          row.id,
          new Books(
              row.login + "@" + at.name,
              Optional.ofNullable(known.identities().get(row.identityId)).map(i -> i.name),
              row.signInMode,
              Stream.concat(
                      liveOf.getOrDefault(row.id, List.of()).stream()
                          .filter(p -> isToBeThere(p, leaving)),
                      lostOf.getOrDefault(row.id, List.of()).stream())
                  .map(p -> placed(p, known, needed.getOrDefault(row.id, Set.of())))
                  .toList(),
              liveOf.getOrDefault(row.id, List.of()).stream()
                  .filter(p -> !isToBeThere(p, leaving))
                  .map(p -> p.line)
                  .collect(Collectors.toSet()),
              marks.getOrDefault(row.id, Set.of()),
              known(row, seen.get(row.id), known),
              lastUses(uses.getOrDefault(row.id, List.of())),
              usesSince,
              unusedAfter,
              row.registered.stream()
                  .filter(r -> !r.slot().isEmpty())
                  .collect(
                      Collectors.toMap(
                          r -> new Fingerprint(r.key()), AccountRow.Entry::slot, (a, b) -> a)),
              own));
    }
    return books;
  }

  /** Whether it should be there: it was placed, and no rotation is about to take it out. */
  private static boolean isToBeThere(PlacementRow placement, Set<UUID> leaving) {
    return (placement.state == PlacementState.PLACED || placement.state == PlacementState.PROVEN)
        && !leaving.contains(placement.keyId);
  }

  /** What somebody took out, and nobody put back or gave up: it is missing until somebody does. */
  private Map<UUID, List<PlacementRow>> lost(Set<UUID> accounts, List<PlacementRow> live) {
    Set<String> there = live.stream().map(p -> p.keyId + " " + p.accountId).collect(toSet());
    List<PlacementRow> lost = placements.lostOnAccounts(accounts);
    Set<UUID> inUse =
        keys.byIds(lost.stream().map(p -> p.keyId).collect(toSet())).stream()
            .filter(k -> k.endedAt == null)
            .map(k -> k.id)
            .collect(toSet());
    return lost.stream()
        .filter(p -> inUse.contains(p.keyId) && !there.contains(p.keyId + " " + p.accountId))
        .collect(Collectors.groupingBy(p -> p.accountId));
  }

  private static <T> java.util.stream.Collector<T, ?, Set<T>> toSet() {
    return Collectors.toSet();
  }

  /** Tolvin's own keys on a server: its own, and those of whatever else it reaches there. */
  private Set<Fingerprint> own(DestinationRow at) {
    return destinations.inForce().stream()
        .filter(d -> d.connectionKey != null)
        .filter(
            d ->
                d.id.equals(at.id)
                    || at.id.equals(d.routeId)
                    || d.host.equals(at.host) && d.port == at.port)
        .map(d -> Access.key(d.connectionKey).fingerprint())
        .collect(Collectors.toSet());
  }

  private Optional<Instant> usesSince(DestinationRow at) {
    UUID told = at.signsInAtId == null ? at.id : at.signsInAtId;
    return feeds.find(told).filter(f -> f.failure == null).map((FeedRow f) -> f.unbrokenSince);
  }

  private static Map<Fingerprint, Instant> lastUses(List<UseRow> uses) {
    Map<Fingerprint, Instant> last = new HashMap<>();
    uses.forEach(
        u -> last.merge(new Fingerprint(u.fingerprint), u.latest, (a, b) -> a.isAfter(b) ? a : b));
    return last;
  }

  /** The keys that some seat signs in with, for each account. */
  private Map<UUID, Set<String>> needed(Set<UUID> accountIds) {
    List<TieRow> ties = seats.tiesOfAccounts(accountIds);
    Map<UUID, SeatRow> seatRows =
        seats.byIds(ties.stream().map(t -> t.seatId).collect(Collectors.toSet())).stream()
            .collect(Collectors.toMap(s -> s.id, Function.identity()));
    Map<UUID, Set<String>> needed = new HashMap<>();
    for (TieRow tie : ties) {
      Optional.ofNullable(seatRows.get(tie.seatId))
          .ifPresent(
              seat ->
                  needed.computeIfAbsent(tie.accountId, a -> new HashSet<>()).addAll(seat.offers));
    }
    return needed;
  }

  private static Books.Placed placed(PlacementRow p, KeyBooks known, Set<String> needed) {
    String print =
        known.byPrint().values().stream()
            .flatMap(List::stream)
            .filter(k -> k.id.equals(p.keyId))
            .map(k -> k.fingerprint)
            .findFirst()
            .orElseThrow();
    return new Books.Placed(
        new Fingerprint(print),
        p.line,
        p.title,
        p.placedAt == null ? p.wantedAt : p.placedAt,
        needed.contains(print));
  }

  private KeyBooks keys(DestinationRow at, List<PlacementRow> live, Collection<Seen> seen) {
    Set<String> prints = new HashSet<>();
    seen.forEach(s -> s.registered().forEach(r -> prints.add(r.key().value())));
    List<KeyRow> rows = new ArrayList<>(keys.everAmong(prints));
    Set<UUID> have = rows.stream().map(k -> k.id).collect(Collectors.toSet());
    rows.addAll(
        keys.byIds(
            live.stream()
                .map(p -> p.keyId)
                .filter(id -> !have.contains(id))
                .collect(Collectors.toSet())));
    List<IdentityRow> all = identities.all();
    List<PlacementRow> everywhere = placements.liveOfKeys(rows.stream().map(k -> k.id).toList());
    Map<UUID, String> names =
        accounts
            .byIds(everywhere.stream().map(p -> p.accountId).collect(Collectors.toSet()))
            .stream()
            .collect(Collectors.toMap(a -> a.id, a -> a.login));
    List<KeyRow> alive = rows.stream().filter(k -> k.endedAt == null).toList();
    return new KeyBooks(
        rows.stream().collect(Collectors.groupingBy(k -> k.fingerprint)),
        all.stream().collect(Collectors.toMap(i -> i.id, Function.identity())),
        all.stream().filter(i -> i.validUntil == null).map(i -> i.name).collect(Collectors.toSet()),
        everywhere.stream().collect(Collectors.groupingBy(p -> p.keyId)),
        names,
        judgements.refusalsAt(alive, at),
        Owners.among(all.stream().filter(i -> i.validUntil == null).map(i -> i.name).toList()));
  }

  private Map<Fingerprint, Books.Known> known(AccountRow account, Seen seen, KeyBooks books) {
    Map<Fingerprint, Books.Known> known = new HashMap<>();
    for (Registered r : seen.registered()) {
      List<KeyRow> rows = books.byPrint().getOrDefault(r.key().value(), List.of());
      rows.stream()
          .filter(k -> k.endedAt == null)
          .findFirst()
          .or(() -> rows.stream().reduce((a, b) -> b))
          .ifPresent(row -> known.put(r.key(), known(account, row, r, books)));
    }
    return known;
  }

  private static Books.Known known(
      AccountRow account, KeyRow row, Registered there, KeyBooks books) {
    Optional<IdentityRow> identity = Optional.ofNullable(books.identities().get(row.identityId));
    boolean left =
        identity
            .map(
                i ->
                    i.validUntil != null
                        || !i.responsible.isEmpty()
                            && !books.namesInForce().contains(i.responsible)
                            && books.identities().values().stream()
                                .anyMatch(
                                    p -> p.name.equals(i.responsible) && p.validUntil != null))
            .orElse(false);
    return new Books.Known(
        identity.map(i -> i.name),
        left,
        books.owners().apply(row.comment).or(() -> books.owners().apply(comment(there.line()))),
        Optional.ofNullable(row.endedAt).map(at -> row.endedBecause),
        Optional.ofNullable(books.refusals().get(row.id)),
        books.placed().getOrDefault(row.id, List.of()).stream()
            .filter(p -> !p.accountId.equals(account.id))
            .map(p -> books.accountNames().get(p.accountId))
            .filter(Objects::nonNull)
            .toList());
  }

  private static String comment(String line) {
    int at = line.indexOf("AAAA");
    int blank = at < 0 ? -1 : line.indexOf(' ', at);
    return blank < 0 ? "" : line.substring(blank + 1);
  }
}
