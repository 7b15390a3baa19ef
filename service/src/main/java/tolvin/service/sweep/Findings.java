package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.api.sweep.SettlingRequest;
import tolvin.api.sweep.SettlingStepView;
import tolvin.core.estate.Custody;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;
import tolvin.core.sweep.Action;
import tolvin.core.sweep.FindingKind;
import tolvin.core.word.Words;
import tolvin.service.journal.Journal;
import tolvin.service.key.Keys;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.identity.IdentityRow;
import tolvin.service.record.key.KeyStore;
import tolvin.service.record.sweep.FindingRow;
import tolvin.service.record.sweep.FindingStore;
import tolvin.service.store.ClockStore;

/** Settles findings, each by its action; what would break somebody is refused. */
@ApplicationScoped
public class Findings {
  private static final int MOST = 500;
  private final FindingStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final Obstacles obstacles;
  private final Entries entries;
  private final Adoption adoption;
  private final SeatRepairs seatRepairs;
  private final ClockStore clock;
  private final Journal journal;

  Findings(
      FindingStore store,
      AccountStore accounts,
      DestinationStore destinations,
      KeyStore keys,
      Obstacles obstacles,
      Entries entries,
      Adoption adoption,
      SeatRepairs seatRepairs,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.accounts = accounts;
    this.destinations = destinations;
    this.keys = keys;
    this.obstacles = obstacles;
    this.entries = entries;
    this.adoption = adoption;
    this.seatRepairs = seatRepairs;
    this.clock = clock;
    this.journal = journal;
  }

  /** What settling would do, without doing it. */
  @Transactional
  public List<SettlingStepView> preview(SettlingRequest settling) {
    Action action = action(settling);
    List<SettlingStepView> steps = new ArrayList<>();
    for (FindingRow row : asked(settling)) {
      Optional<String> refused = obstacles.to(row, action, settling);
      steps.add(
          new SettlingStepView(
              row.id, refused.isEmpty(), refused.orElseGet(() -> sentence(row, action, settling))));
    }
    return steps;
  }

  /** Settles what can be settled, one after the other; the rest says why not. */
  public List<SettlingStepView> settle(SettlingRequest settling) {
    Action action = action(settling);
    Checks.text(settling.reason(), "reason");
    List<SettlingStepView> steps = new ArrayList<>();
    for (SettlingStepView step : preview(settling)) {
      if (!step.possible()) {
        steps.add(step);
        continue;
      }
      try {
        FindingRow found = inNewTransaction(() -> store.get(step.id()));
        if (action == Action.RESTORE && found.kind == FindingKind.CHANGED
            || action == Action.WITHDRAW && inNewTransaction(() -> entries.areSeveral(found))) {
          entries.leaveOne(found);
        }
        if (action != Action.ACCEPT && found.kind.isOfSeats()) {
          seatRepairs.repair(found);
        }
        steps.add(inNewTransaction(() -> settle(step, action, settling)));
      } catch (PortException e) {
        steps.add(new SettlingStepView(step.id(), false, e.whole()));
      } catch (Problem e) {
        steps.add(new SettlingStepView(step.id(), false, e.getMessage()));
      }
    }
    return steps;
  }

  private static Action action(SettlingRequest settling) {
    return Checks.given(settling.action(), "action");
  }

  private List<FindingRow> asked(SettlingRequest settling) {
    if (settling.ids() == null || settling.ids().isEmpty() || settling.ids().size() > MOST) {
      throw Problem.invalid("Name the findings, at most " + MOST + " at once.", "Give their ids.");
    }
    if (settling.custody() != null) {
      Keys.custody(settling.custody());
    }
    List<FindingRow> rows = store.byIds(settling.ids());
    if (rows.size() < settling.ids().stream().distinct().count()) {
      throw Problem.notFound("finding", "one of those");
    }
    return rows;
  }

  private String sentence(FindingRow row, Action action, SettlingRequest settling) {
    String where =
        row.accountId == null ? "" : " on " + destinations.nameOf(accounts.get(row.accountId));
    String key = row.fingerprint == null ? "" : new Fingerprint(row.fingerprint).brief();
    if (row.kind.isOfSeats() && action != Action.ACCEPT) {
      return seatRepairs.sentence(row);
    }
    return switch (action) {
      case ACCEPT -> "Leaves it as it is until " + settling.until() + ".";
      case WITHDRAW ->
          row.kind == FindingKind.DUPLICATE
              ? "Leaves one entry of " + key + where + ": " + entries.staying(row)
              : "Takes " + key + " out" + where + ".";
      case ADOPT ->
          row.kind == FindingKind.CHANGED
              ? "Takes the entry of " + key + where + " into the record as it stands there now."
              : "Takes "
                  + key
                  + where
                  + " into the record, as a key of "
                  + adoption.whose(row, settling).map(i -> i.name).orElse("nobody yet")
                  + ".";
      case RESTORE ->
          row.kind == FindingKind.CHANGED
              ? "Puts the agreed entry of " + key + where + " in the place of the one there."
              : "Places " + key + where + " again, with a mark of its own.";
    };
  }

  private static String line(AccountRow account, FindingRow row) {
    return Entries.of(account, row.fingerprint).stream()
        .findFirst()
        .orElseThrow(
            () ->
                Problem.conflict(
                    "gone", "It does not stand there any more.", "Sweep the destination again."));
  }

  /** Asked once more under a lock: somebody else may have settled it meanwhile. */
  private SettlingStepView settle(SettlingStepView step, Action action, SettlingRequest settling) {
    FindingRow row = store.lock(step.id());
    Optional<String> refused =
        action == Action.WITHDRAW
            ? Obstacles.settledAlready(row)
            : obstacles.to(row, action, settling);
    if (refused.isPresent()) {
      return new SettlingStepView(row.id, false, refused.get());
    }
    settle(row, action, settling);
    return step;
  }

  private void settle(FindingRow row, Action action, SettlingRequest settling) {
    Instant now = clock.now();
    Optional<String> overruled =
        action == Action.WITHDRAW && Boolean.TRUE.equals(settling.overrule())
            ? obstacles.overruled(row)
            : Optional.empty();
    if (action == Action.ACCEPT) {
      row.acceptedUntil = settling.until();
      row.acceptedBecause = settling.reason();
    } else {
      switch (action) {
        case ADOPT -> adopt(row, settling);
        case WITHDRAW -> withdraw(row, overruled.isPresent());
        default -> restore(row);
      }
      row.settledAt = now;
      row.settledBy = Words.of(action);
      row.settledBecause = settling.reason();
    }
    journal.write(
        "finding." + Words.of(action),
        row.id,
        row.sentence + " " + sentence(row, action, settling),
        Map.of(
            "reason",
            settling.reason(),
            "ticket",
            settling.ticket() == null ? "" : settling.ticket(),
            "kind",
            row.kind,
            "overruled",
            overruled.orElse("")));
  }

  private void adopt(FindingRow row, SettlingRequest settling) {
    AccountRow account = accounts.lock(row.accountId);
    Optional<IdentityRow> whose = adoption.whose(row, settling);
    Custody custody = Keys.custody(settling.custody());
    switch (row.kind) {
      case CHANGED -> adoption.takeLine(account, row.fingerprint, line(account, row));
      case NO_OWNER, OWNER_LEFT ->
          keys.live(row.fingerprint).ifPresent(k -> whose.ifPresent(i -> k.identityId = i.id));
      default ->
          adoption.take(
              account,
              line(account, row),
              whose.map(i -> i.id),
              custody,
              adoption.title(line(account, row)));
    }
  }

  /** The entries beside one are out already; where it stood there twice, that was all. */
  private void withdraw(FindingRow row, boolean overruled) {
    if (row.kind == FindingKind.MISSING
        && Entries.of(accounts.get(row.accountId), row.fingerprint).isEmpty()) {
      adoption.letGo(accounts.lock(row.accountId), row.fingerprint);
    } else if (row.kind != FindingKind.DUPLICATE && !row.kind.isOfSeats()) {
      AccountRow account = accounts.lock(row.accountId);
      adoption.takeOut(account, row.fingerprint, line(account, row), overruled);
    }
  }

  private void restore(FindingRow row) {
    if (row.kind != FindingKind.CHANGED && !row.kind.isOfSeats()) {
      adoption.placeAgain(accounts.lock(row.accountId), row.fingerprint);
    }
  }
}
