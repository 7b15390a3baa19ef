package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inside;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.PortException;
import tolvin.core.sweep.Deed;
import tolvin.core.sweep.FindingKind;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationStore;
import tolvin.service.identity.IdentityRow;
import tolvin.service.journal.Journal;
import tolvin.service.key.KeyStore;
import tolvin.service.rotation.Runner;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Settles findings, each by its deed; what would break somebody is refused. */
@ApplicationScoped
public class Findings {
  private static final int MOST = 500;
  private static final List<String> CUSTODIES = List.of("machine", "device", "module", "elsewhere");

  private final FindingStore store;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final KeyStore keys;
  private final Obstacles obstacles;
  private final Entries entries;
  private final Adoption adoption;
  private final SeatRepairs seatRepairs;
  private final Runner runner;
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
      Runner runner,
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
    this.runner = runner;
    this.clock = clock;
    this.journal = journal;
  }

  /**
   * How findings are to be settled.
   *
   * @param deed adopt, put-back, withdraw or accept
   * @param ids which
   * @param identityId whose the key is, for adopting; absent if nobody knows
   * @param bySuggestion whether each key goes to whom its comment suggests, where it suggests one
   * @param custody how the private half is kept, for adopting; elsewhere if absent
   * @param until until when it is accepted
   * @param reason why, for the journal
   * @param ticket a ticket number, for the journal
   * @param overrule whether it is done although somebody may not be able to sign in any more, which
   *     the preview tells
   */
  public record Settling(
      String deed,
      List<UUID> ids,
      UUID identityId,
      Boolean bySuggestion,
      String custody,
      Instant until,
      String reason,
      String ticket,
      Boolean overrule) {}

  /**
   * What a deed does, or why it cannot.
   *
   * @param id the finding
   * @param possible whether it can be done
   * @param sentence what it does, or what stands in its way
   */
  public record Step(UUID id, boolean possible, String sentence) {}

  /** What settling would do, without doing it. */
  @Transactional
  public List<Step> preview(Settling settling) {
    Deed deed = deed(settling);
    List<Step> steps = new ArrayList<>();
    for (FindingRow row : asked(settling)) {
      Optional<String> refused = obstacles.to(row, deed, settling);
      steps.add(
          new Step(
              row.id, refused.isEmpty(), refused.orElseGet(() -> sentence(row, deed, settling))));
    }
    return steps;
  }

  /** Settles what can be settled, one after the other; the rest says why not. */
  public List<Step> settle(Settling settling) {
    Deed deed = deed(settling);
    Checks.text(settling.reason(), "reason");
    List<Step> steps = new ArrayList<>();
    for (Step step : preview(settling)) {
      if (!step.possible()) {
        steps.add(step);
        continue;
      }
      try {
        FindingRow found = inside(() -> store.get(step.id()));
        if (deed == Deed.PUT_BACK && found.kind() == FindingKind.CHANGED
            || deed == Deed.WITHDRAW && inside(() -> entries.areSeveral(found))) {
          entries.leaveOne(found);
        }
        if (deed != Deed.ACCEPT && found.kind().isOfSeats()) {
          seatRepairs.repair(found);
        }
        steps.add(inside(() -> settle(step, deed, settling)));
      } catch (PortException e) {
        steps.add(new Step(step.id(), false, e.whole()));
      } catch (Problem e) {
        steps.add(new Step(step.id(), false, e.getMessage()));
      }
    }
    runner.wake();
    return steps;
  }

  private static Deed deed(Settling settling) {
    for (Deed deed : Deed.values()) {
      if (deed.word().equals(settling.deed())) {
        return deed;
      }
    }
    throw Problem.invalid(
        "The deed must be one of: adopt, put-back, withdraw, accept.", "Choose one of them.");
  }

  private List<FindingRow> asked(Settling settling) {
    if (settling.ids() == null || settling.ids().isEmpty() || settling.ids().size() > MOST) {
      throw Problem.invalid("Name the findings, at most " + MOST + " at once.", "Give their ids.");
    }
    if (settling.custody() != null) {
      Checks.oneOf(settling.custody(), CUSTODIES, "custody");
    }
    List<FindingRow> rows = store.byIds(settling.ids());
    if (rows.size() < settling.ids().stream().distinct().count()) {
      throw Problem.notFound("finding", "one of those");
    }
    return rows;
  }

  private String sentence(FindingRow row, Deed deed, Settling settling) {
    String where =
        row.accountId == null ? "" : " on " + destinations.nameOf(accounts.get(row.accountId));
    String key = row.fingerprint == null ? "" : new Fingerprint(row.fingerprint).brief();
    if (row.kind().isOfSeats() && deed != Deed.ACCEPT) {
      return seatRepairs.sentence(row);
    }
    return switch (deed) {
      case ACCEPT -> "Leaves it as it is until " + settling.until() + ".";
      case WITHDRAW ->
          row.kind() == FindingKind.DUPLICATE
              ? "Leaves one entry of " + key + where + ": " + entries.staying(row)
              : "Takes " + key + " out" + where + ".";
      case ADOPT ->
          row.kind() == FindingKind.CHANGED
              ? "Takes the entry of " + key + where + " into the books as it stands there now."
              : "Takes "
                  + key
                  + where
                  + " into the books, as a key of "
                  + adoption.whose(row, settling).map(i -> i.name).orElse("nobody yet")
                  + ".";
      case PUT_BACK ->
          row.kind() == FindingKind.CHANGED
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
  private Step settle(Step step, Deed deed, Settling settling) {
    FindingRow row = store.lock(step.id());
    Optional<String> refused =
        deed == Deed.WITHDRAW ? Obstacles.settledAlready(row) : obstacles.to(row, deed, settling);
    if (refused.isPresent()) {
      return new Step(row.id, false, refused.get());
    }
    settle(row, deed, settling);
    return step;
  }

  private void settle(FindingRow row, Deed deed, Settling settling) {
    Instant now = clock.now();
    Optional<String> overruled =
        deed == Deed.WITHDRAW && Boolean.TRUE.equals(settling.overrule())
            ? obstacles.overruled(row)
            : Optional.empty();
    if (deed == Deed.ACCEPT) {
      row.acceptedUntil = settling.until();
      row.acceptedBecause = settling.reason();
    } else {
      switch (deed) {
        case ADOPT -> adopt(row, settling);
        case WITHDRAW -> withdraw(row, overruled.isPresent());
        default -> putBack(row);
      }
      row.settledAt = now;
      row.settledBy = deed.word();
      row.settledBecause = settling.reason();
    }
    journal.write(
        "finding." + deed.word(),
        row.id,
        row.sentence + " " + sentence(row, deed, settling),
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

  private void adopt(FindingRow row, Settling settling) {
    AccountRow account = accounts.lock(row.accountId);
    Optional<IdentityRow> whose = adoption.whose(row, settling);
    String custody = settling.custody() == null ? "elsewhere" : settling.custody();
    switch (row.kind()) {
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
    if (row.kind() == FindingKind.MISSING
        && Entries.of(accounts.get(row.accountId), row.fingerprint).isEmpty()) {
      adoption.letGo(accounts.lock(row.accountId), row.fingerprint);
    } else if (row.kind() != FindingKind.DUPLICATE && !row.kind().isOfSeats()) {
      AccountRow account = accounts.lock(row.accountId);
      adoption.takeOut(account, row.fingerprint, line(account, row), overruled);
    }
  }

  private void putBack(FindingRow row) {
    if (row.kind() != FindingKind.CHANGED && !row.kind().isOfSeats()) {
      adoption.placeAgain(accounts.lock(row.accountId), row.fingerprint);
    }
  }
}
