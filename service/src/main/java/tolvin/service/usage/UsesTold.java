package tolvin.service.usage;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Collectors;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Use;
import tolvin.service.destination.Access;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.TrialRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;
import tolvin.service.store.ClockStore;

/**
 * Takes in the last uses that a destination tells with its keys. It does not say from where, nor
 * how often; Tolvin's own sign-ins are among them and told apart by their time.
 */
@ApplicationScoped
public class UsesTold {
  /** How far a measured clock may be off, and a log behind. */
  private static final Duration LAG = Duration.ofSeconds(2);

  private final Access access;
  private final FeedStore feeds;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final ClockStore clock;

  UsesTold(
      Access access, FeedStore feeds, PlacementStore placements, KeyStore keys, ClockStore clock) {
    this.access = access;
    this.feeds = feeds;
    this.placements = placements;
    this.keys = keys;
    this.clock = clock;
  }

  /** Takes in what a reading of an account told. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void take(AccountRow account, List<Registered> found, Instant now) {
    Optional<Duration> exact = access.kind(account).flatMap(kind -> kind.ability().reportsUse());
    if (exact.isEmpty()) {
      return;
    }
    Map<String, List<TrialRow>> own = ownSignIns(account, found);
    UseBook book = new UseBook(feeds);
    book.open(
        List.of(account.id), found.stream().map(r -> r.key().value()).collect(Collectors.toSet()));
    for (Registered entry : found) {
      String key = entry.key().value();
      List<TrialRow> withIt = own.getOrDefault(key, List.of());
      entry.details().used().ifPresent(u -> take(book, account, key, u, exact.get(), withIt, now));
    }
  }

  /** Tolvin's own sign-ins that succeeded, by the fingerprint of the key. */
  private Map<String, List<TrialRow>> ownSignIns(AccountRow account, List<Registered> found) {
    Map<UUID, String> fingerprints =
        keys
            .everAmong(found.stream().map(r -> r.key().value()).collect(Collectors.toSet()))
            .stream()
            .collect(Collectors.toMap(k -> k.id, k -> k.fingerprint));
    List<TrialRow> accepted =
        placements.trials(List.of(account.id), fingerprints.keySet()).stream()
            .filter(t -> t.accepted)
            .toList();
    return accepted.stream().collect(Collectors.groupingBy(t -> fingerprints.get(t.keyId)));
  }

  private void take(
      UseBook book,
      AccountRow account,
      String key,
      Instant used,
      Duration exact,
      List<TrialRow> own,
      Instant now) {
    boolean ours = false;
    for (TrialRow trial : own) {
      if (!used.isBefore(trial.madeAt.minus(exact).minus(LAG))) {
        trial.seenAt = trial.seenAt == null ? now : trial.seenAt;
        ours |= !used.isAfter(trial.madeAt.plus(exact).plus(LAG.multipliedBy(5)));
      }
    }
    if (ours) {
      return;
    }
    UseRow row = book.findOrNew(clock.id(now), account.id, key, Use.NOT_SAID, used);
    if (used.plus(exact).isAfter(row.latest)) {
      row.earliest = used;
      row.latest = used.plus(exact);
      row.count++;
    }
  }
}
