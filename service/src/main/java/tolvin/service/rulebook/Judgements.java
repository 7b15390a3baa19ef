package tolvin.service.rulebook;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Collection;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.function.Function;
import java.util.stream.Collectors;
import tolvin.core.rulebook.Facts;
import tolvin.core.rulebook.Rulebook;
import tolvin.core.rulebook.Verdict;
import tolvin.core.weak.Weakness;
import tolvin.service.destination.Access;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.identity.IdentityStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.key.WeaknessStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;
import tolvin.service.record.proof.ProofStore;
import tolvin.service.store.ClockStore;

/** Puts together what the rulebook judges by, and asks it. */
@ApplicationScoped
public class Judgements {
  private final Rulebooks rulebooks;
  private final KeyStore keys;
  private final WeaknessStore weaknesses;
  private final ProofStore proofs;
  private final IdentityStore identities;
  private final PlacementStore placements;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final ClockStore clock;

  Judgements(
      Rulebooks rulebooks,
      KeyStore keys,
      WeaknessStore weaknesses,
      ProofStore proofs,
      IdentityStore identities,
      PlacementStore placements,
      AccountStore accounts,
      DestinationStore destinations,
      ClockStore clock) {
    this.rulebooks = rulebooks;
    this.keys = keys;
    this.weaknesses = weaknesses;
    this.proofs = proofs;
    this.identities = identities;
    this.placements = placements;
    this.accounts = accounts;
    this.destinations = destinations;
    this.clock = clock;
  }

  /**
   * A verdict on something stored.
   *
   * @param key the key
   * @param account the account's name, absent for the key by itself
   * @param destination the destination that the account is on, absent likewise
   * @param verdict the verdict
   */
  public record Judged(
      KeyRow key,
      Optional<String> account,
      Optional<DestinationRow> destination,
      Verdict verdict) {}

  /**
   * What another rulebook would change.
   *
   * @param key the key
   * @param identity its identity's name
   * @param account the account's name, absent for the key by itself
   * @param before the verdict by the rulebook in force
   * @param after the verdict by the other one
   */
  record Change(
      KeyRow key, String identity, Optional<String> account, Verdict before, Verdict after) {}

  /** The verdicts on a key and on each place where it stands. */
  @Transactional
  public List<Judged> of(UUID keyId) {
    Stock stock = stock(List.of(keys.get(keyId)));
    Rulebook rulebook = rulebooks.current().rulebook();
    Instant now = clock.now();
    List<Judged> judged = new ArrayList<>();
    stock.each(
        (key, account, destination, facts) ->
            judged.add(new Judged(key, account, destination, rulebook.judge(facts, now))));
    return judged;
  }

  /** The verdict on a key at a place where it is to stand. */
  @Transactional
  public Verdict at(KeyRow key, Facts.Place place) {
    Facts facts = stock(List.of(key)).facts(key).at(place);
    return rulebooks.current().rulebook().judge(facts, clock.now());
  }

  /** Why the rulebook in force refuses some keys on a destination, by the ids of the keys. */
  @Transactional
  public Map<UUID, String> refusalsAt(List<KeyRow> rows, DestinationRow at) {
    Rulebook rulebook = rulebooks.current().rulebook();
    Instant now = clock.now();
    Map<UUID, String> refusals = new HashMap<>();
    Stock stock = stock(rows);
    for (KeyRow key : rows) {
      Terms terms =
          stock.placements().getOrDefault(key.id, List.of()).stream()
              .filter(p -> onDestination(stock, p, at))
              .findFirst()
              .map(Terms::of)
              .orElseGet(() -> Terms.signIn(key.comment));
      rulebook.judge(stock.facts(key).at(place(at, terms, now)), now).notes().stream()
          .filter(Verdict.Note::refuses)
          .findFirst()
          .ifPresent(
              note ->
                  refusals.put(
                      key.id,
                      note.sentence()
                          + " (rule "
                          + note.rule().number()
                          + ", "
                          + note.rule().name()
                          + ")"));
    }
    return refusals;
  }

  private static boolean onDestination(Stock stock, PlacementRow placement, DestinationRow at) {
    AccountRow account = stock.accounts().get(placement.accountId);
    return account != null && account.destinationId.equals(at.id);
  }

  /** The keys and placements whose verdict another rulebook would change. */
  @Transactional
  List<Change> changes(Rulebook other) {
    Rulebook inForce = rulebooks.current().rulebook();
    Instant now = clock.now();
    List<Change> changes = new ArrayList<>();
    stock(keys.allLive())
        .each(
            (key, account, destination, facts) -> {
              Verdict before = inForce.judge(facts, now);
              Verdict after = other.judge(facts, now);
              if (before.outcome() != after.outcome()) {
                String identity = facts.holder().map(Facts.Holder::name).orElse(null);
                changes.add(new Change(key, identity, account, before, after));
              }
            });
    return changes;
  }

  /** A problem with rule, reason and remedy, if a verdict refuses. */
  public static void refuse(Verdict verdict) {
    verdict.notes().stream()
        .filter(Verdict.Note::refuses)
        .findFirst()
        .ifPresent(
            note -> {
              throw new Problem(
                  422,
                  "refused-by-rule",
                  "Refused by a rule",
                  note.sentence()
                      + " Rule "
                      + note.rule().number()
                      + " ("
                      + note.rule().name()
                      + ") refuses that: "
                      + note.rule().because(),
                  note.remedy());
            });
  }

  /** Where an identity's rulebook facts come from. */
  public static Facts.Holder holder(IdentityRow row) {
    return new Facts.Holder(row.kind, row.name, row.team);
  }

  /** A place on a destination. */
  public static Facts.Place place(DestinationRow destination, Terms terms, Instant since) {
    return new Facts.Place(
        destination.name,
        destination.family,
        terms.purpose(),
        terms.access(),
        terms.title(),
        terms.limits().sources(),
        since,
        Optional.ofNullable(terms.limits().endsAt()));
  }

  /** Of a few keys what belongs to them is read, of many everything at once. */
  private Stock stock(List<KeyRow> rows) {
    Set<UUID> ids = rows.stream().map(k -> k.id).collect(Collectors.toSet());
    boolean few = ids.size() < 1000;
    Collection<PlacementRow> placed = few ? placements.liveOfKeys(ids) : placements.allLive();
    Set<UUID> on = placed.stream().map(p -> p.accountId).collect(Collectors.toSet());
    Set<UUID> holders =
        rows.stream().map(k -> k.identityId).filter(Objects::nonNull).collect(Collectors.toSet());
    return new Stock(
        rows,
        byId(few ? identities.byIds(holders) : identities.all(), i -> i.id),
        few ? weaknesses.of(ids) : weaknesses.all(),
        proofs.evidence(ids),
        placed.stream().collect(Collectors.groupingBy(p -> p.keyId)),
        byId(few ? accounts.byIds(on) : accounts.of(null), a -> a.id),
        byId(destinations.inForce(), d -> d.id));
  }

  private static <T> Map<UUID, T> byId(List<T> rows, Function<T, UUID> id) {
    Map<UUID, T> map = new HashMap<>();
    rows.forEach(row -> map.put(id.apply(row), row));
    return map;
  }

  private interface Visitor {
    void visit(
        KeyRow key, Optional<String> account, Optional<DestinationRow> destination, Facts facts);
  }

  /** Keys with all that is known beside them. */
  private record Stock(
      List<KeyRow> keys,
      Map<UUID, IdentityRow> identities,
      Map<UUID, List<Weakness>> weaknesses,
      Map<UUID, Set<Facts.Evidence>> evidence,
      Map<UUID, List<PlacementRow>> placements,
      Map<UUID, AccountRow> accounts,
      Map<UUID, DestinationRow> destinations) {

    void each(Visitor visitor) {
      for (KeyRow key : keys) {
        Facts facts = facts(key);
        visitor.visit(key, Optional.empty(), Optional.empty(), facts);
        for (PlacementRow p : placements.getOrDefault(key.id, List.of())) {
          AccountRow account = accounts.get(p.accountId);
          if (account == null || !destinations.containsKey(account.destinationId)) {
            continue;
          }
          DestinationRow destination = destinations.get(account.destinationId);
          Instant since = p.placedAt == null ? p.wantedAt : p.placedAt;
          visitor.visit(
              key,
              Optional.of(account.login + "@" + destination.name),
              Optional.of(destination),
              facts.at(place(destination, Terms.of(p), since)));
        }
      }
    }

    Facts facts(KeyRow key) {
      return new Facts(
          Facts.Numbers.of(Access.key(key.blob)),
          key.fingerprint,
          key.custody,
          key.madeAt,
          key.comment,
          Optional.ofNullable(identities.get(key.identityId)).map(Judgements::holder),
          Optional.empty(),
          Optional.empty(),
          evidence.getOrDefault(key.id, Set.of()),
          weaknesses.getOrDefault(key.id, List.of()),
          Optional.empty());
    }
  }
}
