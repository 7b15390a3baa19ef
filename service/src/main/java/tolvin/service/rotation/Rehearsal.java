package tolvin.service.rotation;

import static tolvin.service.store.Transactions.inNewTransaction;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.api.rotation.SystemChangeView;
import tolvin.core.estate.Account;
import tolvin.core.estate.Seat;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.service.destination.Access;
import tolvin.service.placement.AccountChanges;
import tolvin.service.placement.Placements;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.placement.PlacementStore;
import tolvin.service.record.rotation.RotationRow;
import tolvin.service.record.rotation.RotationStore;
import tolvin.service.snapshot.Situation;
import tolvin.service.snapshot.Snapshots;

/** Shows the exact changes of a rotation on every system, before anything is touched. */
@ApplicationScoped
public class Rehearsal {
  private final Snapshots snapshots;
  private final RotationStore rotations;
  private final AccountStore accounts;
  private final SeatStore seats;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final Access access;
  private final AccountChanges accountChanges;

  Rehearsal(
      Snapshots snapshots,
      RotationStore rotations,
      AccountStore accounts,
      SeatStore seats,
      PlacementStore placements,
      Placements newPlacements,
      Access access,
      AccountChanges accountChanges) {
    this.snapshots = snapshots;
    this.rotations = rotations;
    this.accounts = accounts;
    this.seats = seats;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.access = access;
    this.accountChanges = accountChanges;
  }

  List<SystemChangeView> changes(UUID id) {
    Situation situation = snapshots.situation(id);
    RotationRow row = QuarkusTransaction.requiringNew().call(() -> rotations.get(id));
    if (row.newKeyId == null) {
      throw Problem.conflict(
          "not-made-yet", "The new key is not made yet.", "Ask again in a moment.");
    }
    Fingerprint old = situation.context().old();
    Fingerprint fresh = situation.context().fresh().orElseThrow();
    List<SystemChangeView> changes = new ArrayList<>();
    for (Account account : situation.snapshot().accountList()) {
      if (account.placed().containsKey(fresh)) {
        changes.add(account(account, fresh, true));
      }
    }
    for (Seat seat : situation.snapshot().seatList()) {
      changes.add(supply(seat, old, fresh));
    }
    for (Account account : situation.snapshot().accountList()) {
      if (account.placed().containsKey(old)) {
        changes.add(account(account, old, false));
      }
    }
    for (Seat seat : situation.snapshot().seatList()) {
      if (seat.keepsFormer()) {
        changes.add(
            new SystemChangeView(
                seat.name(),
                "clear",
                file(seat, old) + (isFile(seat) ? ".before" : ""),
                List.of("private key of " + old + (isFile(seat) ? "" : ", kept beside")),
                List.of(),
                0));
      }
    }
    return changes;
  }

  private SystemChangeView supply(Seat seat, Fingerprint old, Fingerprint fresh) {
    boolean file = isFile(seat);
    String former =
        seat.keepsFormer()
            ? file ? " (kept beside as .before)" : " (kept beside)"
            : " (replaced; it cannot be had back from there)";
    return new SystemChangeView(
        seat.name(),
        "supply",
        file(seat, old),
        List.of("private key of " + old + former),
        List.of(
            "private key of "
                + fresh
                + (file
                    ? ", owner and mode as before"
                    : ", encrypted to the store's published key")),
        0);
  }

  private String file(Seat seat, Fingerprint key) {
    return inNewTransaction(() -> seats.get(seat.id().value()).file(seat.offers().indexOf(key)));
  }

  private boolean isFile(Seat seat) {
    return inNewTransaction(() -> seats.get(seat.id().value()).kind.isEmpty());
  }

  private SystemChangeView account(Account account, Fingerprint key, boolean coming) {
    try {
      AccountRow row = inNewTransaction(() -> accounts.get(account.id().value()));
      Place where = inNewTransaction(() -> access.account(row));
      String line = account.placed().get(key);
      Optional<AccountPort.Entry> entry =
          inNewTransaction(
              () ->
                  placements.liveOnAccounts(List.of(account.id().value())).stream()
                      .filter(p -> p.line.equals(line))
                      .findFirst()
                      .map(newPlacements::entry));
      return accountChanges.of(row, account.name(), where, entry, line, coming);
    } catch (PortException e) {
      throw new Problem(
          502,
          "not-readable-now",
          "A system could not be read",
          account.name() + ": " + e.getMessage(),
          e.remedy());
    }
  }
}
