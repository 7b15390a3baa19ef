package tolvin.service.effect;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.AccountId;
import tolvin.core.estate.PlacementState;
import tolvin.core.estate.Registered;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.rotation.Effect;
import tolvin.service.account.Readings;
import tolvin.service.journal.Journal;
import tolvin.service.placement.Placements;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.key.KeyRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.placement.PlacementRow;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.placement.Terms;

/** Effects on accounts: looking, placing, withdrawing. */
@ApplicationScoped
class AccountEffects {
  private final AccountWays ways;
  private final KeyStore keys;
  private final AccountStore accounts;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final Readings readings;
  private final EffectJournal effectJournal;
  private final Journal journal;

  AccountEffects(
      AccountWays ways,
      KeyStore keys,
      AccountStore accounts,
      PlacementStore placements,
      Placements newPlacements,
      Readings readings,
      EffectJournal effectJournal,
      Journal journal) {
    this.ways = ways;
    this.keys = keys;
    this.accounts = accounts;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.readings = readings;
    this.effectJournal = effectJournal;
    this.journal = journal;
  }

  EffectHandlers.Recording look(Effect.LookAtAccount effect) throws PortException {
    UUID account = effect.account().value();
    AccountWays.Found found = ways.read(effect.account());
    return () -> {
      readings.record(account, found.registered());
      found.mode().ifPresent(mode -> accounts.lock(account).signInMode = mode);
    };
  }

  /** The placement is on record before anything is placed. */
  void beforePlacing(Effects.Job job, Effect.Place effect) {
    KeyRow row = keys.known(effect.key());
    UUID account = effect.account().value();
    if (placements.live(row.id, account).isEmpty()) {
      Optional<PlacementRow> former =
          placements.everOfKeys(List.of(row.id)).stream()
              .filter(p -> p.accountId.equals(account))
              .reduce((a, b) -> b);
      former.ifPresent(p -> p.lostAt = null);
      newPlacements.want(
          row,
          accounts.get(account),
          job.rotation(),
          former.map(Terms::of).orElseGet(() -> Terms.signIn(row.comment)));
    }
  }

  EffectHandlers.Recording place(Effects.Job job, Effect.Place effect, Lease lease, Instant begun)
      throws PortException {
    PlacementRow wanted = inNewTransaction(() -> placement(effect.account(), effect.key()));
    if (wanted.takenBackBecause != null) {
      throw new PortException(
          Kind.TAKEN_BACK,
          wanted.takenBackBecause,
          "It is not tried again by itself: roll the rotation back, and place the key anew when the"
              + " cause is gone.");
    }
    AccountPort.Entry entry = inNewTransaction(() -> newPlacements.entry(wanted));
    Place where = ways.where(effect.account());
    List<Registered> after;
    try {
      after = ways.way(effect.account(), where, lease, begun).place(entry);
    } catch (PortException e) {
      if (e.kind() == Kind.TAKEN_BACK) {
        inNewTransaction(() -> takenBack(wanted.id, begun, e));
      }
      throw e;
    }
    String said = ways.said(where);
    return () -> {
      PlacementRow row = placement(effect.account(), effect.key());
      readings.record(row.accountId, after);
      if (!said.isEmpty()) {
        journal.write("placement.answered", row.id, where.name() + " said: " + said, Map.of());
      }
      effectJournal.tell("placement.placed", job, row.id);
    };
  }

  /** It must not be tried again: the clients there would be shut out once more. */
  private PlacementRow takenBack(UUID id, Instant begun, PortException e) {
    PlacementRow row = placements.lock(id);
    if (row.rotationId == null) {
      row.state = PlacementState.WITHDRAWN; // of a rotation, it goes when that is rolled back
      row.withdrawnAt = begun;
    }
    row.takenBackBecause = e.getMessage();
    row.reason = e.whole();
    journal.write("placement.taken-back", row.id, e.getMessage(), Map.of());
    return row;
  }

  /** That it goes is on record before it is taken out. */
  void beforeWithdrawing(Effects.Job job, Effect.Withdraw effect) {
    accounts.lock(effect.account().value()); // other doors look at what goes under the same lock
    PlacementRow row = placement(effect.account(), effect.key());
    row.state = PlacementState.WITHDRAWING;
    row.rotationId = job.rotation() == null ? row.rotationId : job.rotation();
  }

  EffectHandlers.Recording withdraw(
      Effects.Job job, Effect.Withdraw effect, Lease lease, Instant begun) throws PortException {
    AccountPort.Entry entry =
        inNewTransaction(() -> newPlacements.entry(placement(effect.account(), effect.key())));
    if (!entry.line().equals(effect.line())) {
      throw new PortException(
          Kind.CHANGED_MEANWHILE,
          "The placement was made anew meanwhile.",
          "It is looked at again.");
    }
    Place where = ways.where(effect.account());
    List<Registered> after = ways.way(effect.account(), where, lease, begun).withdraw(entry);
    return () -> {
      PlacementRow row = placement(effect.account(), effect.key());
      readings.record(row.accountId, after);
      effectJournal.tell("placement.withdrawn", job, row.id);
    };
  }

  private PlacementRow placement(AccountId account, Fingerprint key) {
    return placements.known(keys.known(key).id, account.value());
  }
}
