package tolvin.service.account;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Collectors;
import org.eclipse.microprofile.config.inject.ConfigProperty;
import tolvin.core.estate.Absence;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Registered;
import tolvin.service.coffer.Coffer;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Journal;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.store.ClockStore;
import tolvin.service.usage.UsesTold;

/** Keeps what was read on accounts, and settles by it what a lost answer left open. */
@ApplicationScoped
public class Readings {
  private final AccountStore accounts;
  private final PlacementStore placements;
  private final KeyStore keys;
  private final Coffer coffer;
  private final UsesTold usesTold;
  private final ClockStore clock;
  private final Journal journal;
  private final Duration lookAgainAfter;
  private final Jobs jobs;

  Readings(
      AccountStore accounts,
      PlacementStore placements,
      KeyStore keys,
      Coffer coffer,
      UsesTold usesTold,
      ClockStore clock,
      Journal journal,
      @ConfigProperty(name = "tolvin.runner.look-again-after") Duration lookAgainAfter,
      Jobs jobs) {
    this.accounts = accounts;
    this.placements = placements;
    this.keys = keys;
    this.coffer = coffer;
    this.usesTold = usesTold;
    this.clock = clock;
    this.journal = journal;
    this.lookAgainAfter = lookAgainAfter;
    this.jobs = jobs;
  }

  /** Keeps a reading of an account. */
  @Transactional(Transactional.TxType.MANDATORY)
  public void record(UUID id, List<Registered> found) {
    recordAll(accounts.lockAll(List.of(id)), Map.of(id, found));
  }

  /**
   * Keeps readings of several accounts, with few questions to the database.
   *
   * @param rows the accounts, locked
   */
  @Transactional(Transactional.TxType.MANDATORY)
  public void recordAll(List<AccountRow> rows, Map<UUID, List<Registered>> found) {
    Map<UUID, List<PlacementRow>> live =
        placements.liveOnAccounts(found.keySet()).stream()
            .collect(Collectors.groupingBy(p -> p.accountId));
    Instant now = clock.now();
    List<UUID> same = new ArrayList<>();
    for (AccountRow row : rows) {
      List<Registered> there = found.get(row.id);
      List<AccountRow.Entry> entries = entries(there);
      if (entries.equals(row.registered) && row.readAt != null) {
        same.add(row.id);
      } else {
        row.registered = entries;
        row.readAt = now;
      }
      usesTold.take(row, there, now);
      live.getOrDefault(row.id, List.of()).forEach(p -> reconcile(p, there, now));
    }
    returned(List.copyOf(found.keySet()), found, now);
    accounts.readAgain(same, now);
  }

  private static List<AccountRow.Entry> entries(List<Registered> found) {
    return found.stream()
        .map(
            r ->
                new AccountRow.Entry(
                    r.key().value(),
                    r.line(),
                    r.details().reference(),
                    r.details().slot(),
                    r.details().added().orElse(null),
                    r.details().used().orElse(null),
                    r.expires().orElse(null),
                    r.ignored()))
        .toList();
  }

  private void reconcile(PlacementRow placement, List<Registered> found, Instant now) {
    Optional<Registered> entry =
        found.stream().filter(r -> r.line().equals(placement.line)).findFirst();
    boolean there = entry.isPresent();
    entry
        .map(r -> r.details().reference())
        .filter(r -> placement.reference.isEmpty())
        .ifPresent(r -> placement.reference = r);
    boolean standsChanged = !there && standsChanged(placement, found);
    if (there || standsChanged) {
      placement.missingSince = null;
      placement.confirmAt = null;
    }
    if (there && placement.placedAt == null) {
      placement.placedAt = now;
      placement.state = PlacementState.PLACED;
      placement.reason = null;
      lookAgainLater(placement, now);
    } else if (!there && placement.state == PlacementState.WITHDRAWING) {
      placement.withdrawnAt = now;
      placement.state = PlacementState.WITHDRAWN;
      placement.reason = null;
      placement.missingSince = null;
      placement.confirmAt = null;
      lookAgainLater(placement, now);
    } else if (!there && !standsChanged && placement.isThereOnRecord()) {
      missing(placement, now);
    }
  }

  /** Whether its key stands there in an entry that somebody changed. */
  private boolean standsChanged(PlacementRow placement, List<Registered> found) {
    String fingerprint = keys.get(placement.keyId).fingerprint;
    return found.stream().anyMatch(r -> r.key().value().equals(fingerprint));
  }

  /**
   * An entry that is not found any more: one reading may have come upon a file that is just being
   * rewritten, the second one ends the placement. What was written less than a lease ago is decided
   * by {@link #lookAgain}, unless its key is to go anyway.
   */
  private void missing(PlacementRow placement, Instant now) {
    if (placement.missingSince == null) {
      placement.missingSince = now;
      placement.confirmAt = now.plus(Absence.CONFIRMED_AFTER);
      jobs.wakeAt(JobKind.SECOND_LOOKS, JobKind.ALL, placement.confirmAt);
      return;
    }
    if (!Absence.isConfirmed(placement.missingSince, now)) {
      return;
    }
    placement.confirmAt = null;
    if (placement.lookAgainAt == null || !mayComeBack(placement)) {
      gone(placement, now);
    }
  }

  /** Somebody else took it out: its placement is over, which is told. */
  private void gone(PlacementRow placement, Instant now) {
    AccountRow account = accounts.get(placement.accountId);
    placement.state = PlacementState.WITHDRAWN;
    placement.withdrawnAt = now;
    placement.lostAt = mayComeBack(placement) ? now : null;
    placement.lookAgainAt = null;
    placement.confirmAt = null;
    placement.reason = PlacementRow.TAKEN_OUT;
    told(placement, account, "gone", "Somebody else took “%s” out of %s; its placement is over");
  }

  /** Whether a key may be placed again: it is in use, and whoever signs in with it still has it. */
  private boolean mayComeBack(PlacementRow placement) {
    KeyRow key = keys.get(placement.keyId);
    return key.endedAt == null
        && !coffer.isDestroyed(Coffer.PRIVATE_KEY, key.id)
        && !placements.isLeaving(key.id);
  }

  /** What was lost and stands there again, exactly as it was, is placed as before. */
  private void returned(List<UUID> ids, Map<UUID, List<Registered>> found, Instant now) {
    for (PlacementRow lost : placements.lostOnAccounts(ids)) {
      boolean there = found.get(lost.accountId).stream().anyMatch(r -> r.line().equals(lost.line));
      if (there && mayComeBack(lost) && placements.live(lost.keyId, lost.accountId).isEmpty()) {
        lost.state = PlacementState.PLACED;
        lost.withdrawnAt = null;
        lost.lostAt = null;
        lost.missingSince = null;
        lost.reason = null;
        told(lost, accounts.get(lost.accountId), "returned", "“%s” stands on %s again");
      }
    }
  }

  /**
   * A lease after something was written: what somebody else's write took away is put back, what it
   * brought back is taken out, and both are told.
   *
   * @return whether there is anything to be done again
   */
  @Transactional(Transactional.TxType.MANDATORY)
  public boolean lookAgain(UUID placementId) {
    PlacementRow placement = placements.lock(placementId);
    placement.lookAgainAt = null;
    AccountRow account = accounts.get(placement.accountId);
    boolean there = account.registered.stream().anyMatch(r -> r.line().equals(placement.line));
    boolean placed =
        placement.state == PlacementState.PLACED || placement.state == PlacementState.PROVEN;
    if (placed && !there) {
      String key = keys.get(placement.keyId).fingerprint;
      if (account.registered.stream().anyMatch(r -> r.key().equals(key))) {
        return false; // it stands in a line that somebody changed: a finding, not a loss
      }
      if (!mayComeBack(placement)) {
        gone(placement, clock.now());
        return false;
      }
      again(placement, PlacementState.WANTED);
      told(placement, account, "lost", "Somebody else's write lost “%s” on %s; it is restored");
      return true;
    }
    if (placement.state == PlacementState.WITHDRAWN
        && there
        && placements.live(placement.keyId, placement.accountId).isEmpty()) {
      PlacementRow back = placements.copy(placement, clock.id(clock.now()));
      back.withdrawnAt = null;
      back.placedAt = clock.now();
      again(back, PlacementState.WITHDRAWING);
      placements.add(back);
      told(
          back,
          account,
          "came-back",
          "Somebody else's write brought “%s” on %s back; it is taken out");
      return true;
    }
    return false;
  }

  private void again(PlacementRow placement, PlacementState state) {
    placement.missingSince = null;
    placement.confirmAt = null;
    if (state == PlacementState.WANTED) {
      placement.placedAt = null;
      placement.provenAt = null;
    }
    placement.state = state;
    placement.rotationId =
        placement.rotationId != null && placements.isRotating(placement.rotationId)
            ? placement.rotationId
            : null;
    if (placement.isToBeDone()) {
      jobs.add(JobKind.PLACEMENT, placement.id, clock.now());
    } else {
      jobs.wake(JobKind.ROTATION, placement.rotationId);
    }
  }

  private void lookAgainLater(PlacementRow placement, Instant now) {
    placement.lookAgainAt = now.plus(lookAgainAfter);
    jobs.wakeAt(JobKind.SECOND_LOOKS, JobKind.ALL, placement.lookAgainAt);
  }

  private void told(PlacementRow placement, AccountRow account, String action, String sentence) {
    journal.write(
        "placement." + action,
        placement.id,
        String.format(sentence, placement.title, account.login),
        Map.of("line", placement.line));
  }
}
