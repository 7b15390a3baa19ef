package tolvin.service.destination;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Optional;
import tolvin.core.estate.Registered;
import tolvin.core.estate.Use;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.TrialRow;
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
  private final ClockStore clock;

  UsesTold(Access access, FeedStore feeds, PlacementStore placements, ClockStore clock) {
    this.access = access;
    this.feeds = feeds;
    this.placements = placements;
    this.clock = clock;
  }

  /** Takes in what a reading of an account told. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void take(AccountRow account, List<Registered> found, Instant now) {
    Optional<Duration> exact = access.kind(account).flatMap(kind -> kind.ability().reportsUse());
    if (exact.isEmpty()) {
      return;
    }
    List<TrialRow> own = placements.trials(List.of(account.id));
    for (Registered entry : found) {
      entry
          .details()
          .used()
          .ifPresent(used -> take(account, entry.key().value(), used, exact.get(), own, now));
    }
  }

  private void take(
      AccountRow account,
      String key,
      Instant used,
      Duration exact,
      List<TrialRow> own,
      Instant now) {
    boolean ours = false;
    for (TrialRow trial : own) {
      boolean same = trial.accepted && placements.keyOf(trial).filter(key::equals).isPresent();
      if (same && !used.isBefore(trial.madeAt.minus(exact).minus(LAG))) {
        trial.seenAt = trial.seenAt == null ? now : trial.seenAt;
        ours |= !used.isAfter(trial.madeAt.plus(exact).plus(LAG.multipliedBy(5)));
      }
    }
    if (ours) {
      return;
    }
    UseRow row =
        feeds
            .use(account.id, key, Use.NOT_SAID)
            .orElseGet(
                () -> {
                  UseRow fresh = new UseRow();
                  fresh.id = clock.id(now);
                  fresh.accountId = account.id;
                  fresh.fingerprint = key;
                  fresh.address = Use.NOT_SAID;
                  fresh.firstAt = used;
                  fresh.earliest = Instant.EPOCH;
                  fresh.latest = Instant.EPOCH;
                  feeds.addUse(fresh);
                  return fresh;
                });
    if (used.plus(exact).isAfter(row.latest)) {
      row.earliest = used;
      row.latest = used.plus(exact);
      row.count++;
    }
  }
}
