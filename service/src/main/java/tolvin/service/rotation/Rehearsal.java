package tolvin.service.rotation;

import static tolvin.service.store.Transactions.inside;

import io.quarkus.narayana.jta.QuarkusTransaction;
import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.UUID;
import tolvin.core.estate.Account;
import tolvin.core.estate.Seat;
import tolvin.core.key.Fingerprint;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.service.destination.Access;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.integration.SeatStore;
import tolvin.service.placement.PlacementStore;
import tolvin.service.placement.Placements;
import tolvin.service.web.Problem;

/** Shows the exact changes of a rotation on every system, before anything is touched. */
@ApplicationScoped
public class Rehearsal {
  private final Pictures pictures;
  private final RotationStore rotations;
  private final AccountStore accounts;
  private final SeatStore seats;
  private final PlacementStore placements;
  private final Placements newPlacements;
  private final Access access;
  private final AccountPort port;

  Rehearsal(
      Pictures pictures,
      RotationStore rotations,
      AccountStore accounts,
      SeatStore seats,
      PlacementStore placements,
      Placements newPlacements,
      Access access,
      AccountPort port) {
    this.pictures = pictures;
    this.rotations = rotations;
    this.accounts = accounts;
    this.seats = seats;
    this.placements = placements;
    this.newPlacements = newPlacements;
    this.access = access;
    this.port = port;
  }

  /**
   * One change of one file.
   *
   * @param system what it is changed on
   * @param step place, supply, withdraw or clear
   * @param file the file; or who is asked, where somebody else changes it
   * @param removed lines that go, exactly
   * @param added lines that come, exactly; of a private file only what may be shown
   * @param kept how many lines stay as they are, byte for byte
   */
  public record SystemChange(
      String system,
      String step,
      String file,
      List<String> removed,
      List<String> added,
      int kept) {}

  List<SystemChange> changes(UUID id) {
    Situation situation = pictures.situation(id);
    RotationRow row = QuarkusTransaction.requiringNew().call(() -> rotations.get(id));
    if (row.newKeyId == null) {
      throw Problem.conflict(
          "not-made-yet", "The new key is not made yet.", "Ask again in a moment.");
    }
    Fingerprint old = situation.course().old();
    Fingerprint fresh = situation.course().fresh().orElseThrow();
    List<SystemChange> changes = new ArrayList<>();
    for (Account account : situation.picture().accountList()) {
      if (account.placed().containsKey(fresh)) {
        changes.add(account(account, "place", fresh, true));
      }
    }
    for (Seat seat : situation.picture().seatList()) {
      changes.add(supply(seat, old, fresh));
    }
    for (Account account : situation.picture().accountList()) {
      if (account.placed().containsKey(old)) {
        changes.add(account(account, "withdraw", old, false));
      }
    }
    for (Seat seat : situation.picture().seatList()) {
      if (seat.keepsFormer()) {
        changes.add(
            new SystemChange(
                seat.name(),
                "clear",
                file(seat, old) + (isFile(seat) ? ".before" : ""),
                List.of("private half of " + old + (isFile(seat) ? "" : ", kept beside")),
                List.of(),
                0));
      }
    }
    return changes;
  }

  private SystemChange supply(Seat seat, Fingerprint old, Fingerprint fresh) {
    boolean file = isFile(seat);
    String former =
        seat.keepsFormer()
            ? file ? " (kept beside as .before)" : " (kept beside)"
            : " (replaced; it cannot be had back from there)";
    return new SystemChange(
        seat.name(),
        "supply",
        file(seat, old),
        List.of("private half of " + old + former),
        List.of(
            "private half of "
                + fresh
                + (file
                    ? ", owner and mode as before"
                    : ", encrypted to the store's published key")),
        0);
  }

  private String file(Seat seat, Fingerprint key) {
    return inside(() -> seats.get(seat.id().value()).file(seat.offers().indexOf(key)));
  }

  private boolean isFile(Seat seat) {
    return inside(() -> seats.get(seat.id().value()).kind.isEmpty());
  }

  /** What somebody is asked to change by a hand-over: nobody can look at what else stands there. */
  private static SystemChange asked(String system, String step, String line, boolean coming) {
    return new SystemChange(
        system,
        step,
        "asked of its own administrator, by a hand-over",
        coming ? List.of() : List.of(line),
        coming ? List.of(line) : List.of(),
        0);
  }

  private SystemChange account(Account account, String step, Fingerprint key, boolean coming) {
    try {
      AccountRow row = inside(() -> accounts.get(account.id().value()));
      Place where = inside(() -> access.account(row));
      if (where instanceof Place.ByHand) {
        return asked(account.name(), step, account.placed().get(key), coming);
      }
      Optional<AccountPort.Entry> entry =
          inside(
              () ->
                  placements.liveOnAccounts(List.of(account.id().value())).stream()
                      .filter(p -> p.line.equals(account.placed().get(key)))
                      .findFirst()
                      .map(newPlacements::entry));
      AccountPort.Change change =
          port.rehearse(
              where, coming ? entry : Optional.empty(), coming ? Optional.empty() : entry);
      List<String> before = change.before().lines().toList();
      List<String> after = change.after().lines().toList();
      List<String> removed = new ArrayList<>(before);
      after.forEach(removed::remove);
      List<String> added = new ArrayList<>(after);
      before.forEach(added::remove);
      return new SystemChange(
          account.name(),
          step,
          change.where()
              + (row.keptBy.equals("source")
                  ? ", asked of whoever keeps " + row.keptSource + ", by a hand-over"
                  : ""),
          removed,
          added,
          before.size() - removed.size());
    } catch (PortException e) {
      throw new Problem(
          502,
          "not-readable-now",
          "A system could not be read",
          account.name() + ": " + e.getMessage(),
          e.wayOut());
    }
  }
}
