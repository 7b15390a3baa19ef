package tolvin.service.sweep;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.List;
import java.util.Optional;
import tolvin.api.sweep.SettlingRequest;
import tolvin.core.estate.Management;
import tolvin.core.removal.Loss;
import tolvin.core.removal.Removal;
import tolvin.core.removal.RemovalPolicy;
import tolvin.core.sweep.Action;
import tolvin.core.sweep.FindingKind;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.record.sweep.FindingRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.record.usage.UseRow;
import tolvin.service.removal.Removals;
import tolvin.service.store.ClockStore;

/** What stands in the way of settling a finding: above all, that somebody would be broken by it. */
@ApplicationScoped
class Obstacles {
  private final AccountStore accounts;
  private final Adoption adoption;
  private final FeedStore feeds;
  private final Removals removals;
  private final RotationStore rotations;
  private final SeatRepairs seatRepairs;
  private final Entries entries;
  private final ClockStore clock;

  Obstacles(
      AccountStore accounts,
      Adoption adoption,
      FeedStore feeds,
      Removals removals,
      RotationStore rotations,
      SeatRepairs seatRepairs,
      Entries entries,
      ClockStore clock) {
    this.accounts = accounts;
    this.adoption = adoption;
    this.feeds = feeds;
    this.removals = removals;
    this.rotations = rotations;
    this.seatRepairs = seatRepairs;
    this.entries = entries;
    this.clock = clock;
  }

  /** Why a finding cannot be settled so; empty if it can. */
  Optional<String> to(FindingRow row, Action action, SettlingRequest settling) {
    FindingKind kind = row.kind;
    if (row.settledAt != null) {
      return settledAlready(row);
    }
    if (!kind.actions().contains(action)) {
      return Optional.of("“" + kind.title() + "” cannot be settled so. " + kind.remedy());
    }
    if (kind.isOfSeats() && action != Action.ACCEPT) {
      return seatRepairs.obstacle(row);
    }
    return switch (action) {
      case ACCEPT ->
          settling.until() == null || !settling.until().isAfter(clock.now())
              ? Optional.of("Accepting ends at some date: give one that lies ahead.")
              : Optional.empty();
      case WITHDRAW -> toWithdrawal(row, settling);
      case ADOPT ->
          kind == FindingKind.NO_OWNER && adoption.whose(row, settling).isEmpty()
              ? Optional.of(
                  "Say whose the key is; its comment suggests nobody, or nobody asked it.")
              : Optional.empty();
      case RESTORE ->
          accounts.get(row.accountId).managedBy == Management.ANOTHER_SOURCE
              ? Optional.of("Another source manages that account; have the entry restored there.")
              : toPuttingBack(row, settling);
    };
  }

  /** The agreed entry may let in less than the one that stands there now. */
  private Optional<String> toPuttingBack(FindingRow row, SettlingRequest settling) {
    if (row.kind != FindingKind.CHANGED || Boolean.TRUE.equals(settling.overrule())) {
      return Optional.empty();
    }
    Optional<String> loss = entries.loss(row);
    List<Loss> losses =
        loss.isEmpty() ? List.of() : removals.against(removal(row, Removal.Door.LIMIT));
    return losses.isEmpty()
        ? Optional.empty()
        : Optional.of(
            "The agreed entry lets in less than the one that stands there. "
                + Removals.sentence(losses)
                + " Ask who uses it, or overrule it, with a reason.");
  }

  private Optional<String> toWithdrawal(FindingRow row, SettlingRequest settling) {
    AccountRow account = accounts.get(row.accountId);
    if (row.kind == FindingKind.DUPLICATE && account.managedBy != Management.ANOTHER_SOURCE) {
      Optional<String> loss = entries.loss(row);
      if (loss.isEmpty() || Boolean.TRUE.equals(settling.overrule())) {
        return Optional.empty(); // one entry stays, and lets in whoever the others let in
      }
      return Optional.of(
          loss.get()
              + used(row)
                  .map(u -> "It was used at " + u.latest + " from " + u.address + ". ")
                  .orElse("It was not seen in use lately. ")
              + "Ask who uses it, or overrule it, with a reason.");
    }
    if (account.managedBy == Management.ANOTHER_SOURCE) {
      return Optional.of(
          account.login
              + " is managed by another source ("
              + account.otherSource
              + "); have it taken out there.");
    }
    if (rotations.isRotating(List.of(row.fingerprint))) {
      return Optional.of("A rotation needs it. Roll the rotation back, or let it come to its end.");
    }
    List<Loss> losses = removals.against(removal(row, Removal.Door.FINDING));
    List<Loss> open = Loss.open(losses, Boolean.TRUE.equals(settling.overrule()));
    return open.isEmpty()
        ? Optional.empty()
        : Optional.of(Removals.sentence(open) + " " + Removals.remedy(open));
  }

  /** What a person overrules by having it taken out; empty if nothing stands against it. */
  Optional<String> overruled(FindingRow row) {
    List<Loss> losses = removals.against(removal(row, Removal.Door.FINDING));
    return losses.isEmpty() ? Optional.empty() : Optional.of(Removals.sentence(losses));
  }

  private static Removal removal(FindingRow row, Removal.Door door) {
    return Removals.of(row.accountId, row.fingerprint, door);
  }

  private Optional<UseRow> used(FindingRow row) {
    return feeds.uses(List.of(row.accountId)).stream()
        .filter(u -> u.fingerprint.equals(row.fingerprint))
        .filter(u -> u.latest.isAfter(clock.now().minus(RemovalPolicy.USED_LATELY)))
        .findFirst();
  }

  static Optional<String> settledAlready(FindingRow row) {
    return row.settledAt == null ? Optional.empty() : Optional.of("It is settled already.");
  }
}
