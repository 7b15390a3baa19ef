package tolvin.service.integration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.core.sheet.SystemSheet.SeatKind;
import tolvin.service.destination.AccountRow;
import tolvin.service.destination.AccountStore;
import tolvin.service.destination.DestinationRow;
import tolvin.service.destination.DestinationStore;
import tolvin.service.journal.Journal;
import tolvin.service.sheet.Sheets;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Adds integrations, their seats and their ties. */
@ApplicationScoped
class Integrations {
  /** Of a seat of which nobody knows from where it signs in; no use ever comes from it. */
  private static final List<String> EFFECTS =
      List.of("next_sign_in", "reload", "restart", "agent", "by_hand");

  private static final int MOST_FILES = 5;

  private static final String NO_ADDRESS = "-";

  private final IntegrationStore store;
  private final SeatStore seats;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final Sheets sheets;
  private final ClockStore clock;
  private final Journal journal;

  Integrations(
      IntegrationStore store,
      SeatStore seats,
      AccountStore accounts,
      DestinationStore destinations,
      Sheets sheets,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.seats = seats;
    this.accounts = accounts;
    this.destinations = destinations;
    this.sheets = sheets;
    this.clock = clock;
    this.journal = journal;
  }

  @Transactional
  IntegrationRow add(IntegrationResource.IntegrationWish wish) {
    IntegrationRow row = new IntegrationRow();
    row.name = Checks.text(wish.name(), "name");
    row.owner = Checks.text(wish.owner(), "owner");
    row.importance =
        wish.importance() == null
            ? "normal"
            : Checks.oneOf(wish.importance(), List.of("low", "normal", "high"), "importance");
    row.environment = Checks.text(wish.environment(), "environment");
    if (store.byName(row.name).isPresent()) {
      throw Problem.conflict(
          "integration-exists",
          "There is an integration " + row.name + " already.",
          "Choose another name, or use that one.");
    }
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    store.add(row);
    journal.write("integration.added", row.id, "Integration " + row.name + " added", Map.of());
    return row;
  }

  @Transactional
  SeatRow addSeat(UUID integration, IntegrationResource.SeatWish wish) {
    IntegrationRow owner = store.get(integration);
    SeatRow row = new SeatRow();
    row.integrationId = owner.id;
    DestinationRow host = destinations.get(wish.hostId());
    row.destinationId = host.id;
    row.path = Checks.text(wish.path(), "path");
    if (host.hasSheet()) {
      Map<String, SeatKind> kinds = sheets.of(host.sheetId).seats();
      if (kinds.isEmpty()) {
        throw Problem.invalid(
            host.name + " keeps no private halves.", "Name the system that the seat is on.");
      }
      row.kind =
          wish.kind() == null && kinds.size() == 1
              ? kinds.keySet().iterator().next()
              : Checks.oneOf(wish.kind(), List.copyOf(kinds.keySet()), "kind");
      SeatKind kind = kinds.get(row.kind);
      row.login = Checks.optional(wish.job(), "job");
      row.address = wish.address() == null ? NO_ADDRESS : Checks.text(wish.address(), "address");
      row.triesItself = kind.trial().isPresent() && !row.login.isEmpty();
      row.keepsFormer = kind.keepsFormer();
    } else {
      row.login = Checks.text(wish.login(), "login");
      row.address = Checks.text(wish.address(), "address");
      row.takesEffect =
          wish.takesEffect() == null
              ? "next_sign_in"
              : Checks.oneOf(wish.takesEffect(), EFFECTS, "way of taking effect");
      row.effectCommand = Checks.optional(wish.effectCommand(), "command");
      boolean isTold = List.of("reload", "restart", "agent").contains(row.takesEffect);
      if (isTold == row.effectCommand.isEmpty()) {
        throw Problem.invalid(
            "A command belongs to a seat that is reloaded, restarted or has an agent, and to no"
                + " other.",
            "Give takesEffect reload, restart or agent together with the command.");
      }
      row.morePaths =
          wish.morePaths() == null
              ? new ArrayList<>()
              : new ArrayList<>(
                  wish.morePaths().stream().map(p -> Checks.text(p, "path")).toList());
      if (row.morePaths.size() > MOST_FILES) {
        throw Problem.invalid("That are too many files.", "Servers give up after six keys.");
      }
    }
    row.fallsBack = wish.fallsBack();
    row.fallsBackSaidAt = wish.fallsBack() == null ? null : clock.now();
    row.offers = new ArrayList<>();
    row.keeps = new ArrayList<>();
    row.everOffered = new ArrayList<>();
    Instant now = clock.now();
    row.offersSince = now;
    row.effectAt = now;
    row.validFrom = now;
    row.id = clock.id(now);
    seats.add(row);
    seats.flush();
    journal.write(
        "seat.added", row.id, "Seat " + row.path + " of " + owner.name + " added", Map.of());
    return row;
  }

  @Transactional
  TieRow addTie(UUID seatId, IntegrationResource.TieWish wish) {
    SeatRow seat = seats.get(seatId);
    AccountRow account = accounts.get(wish.accountId());
    TieRow row = new TieRow();
    row.seatId = seat.id;
    row.accountId = account.id;
    row.rhythmSeconds = Checks.duration(wish.rhythm(), "rhythm", Duration.ofSeconds(1)).toSeconds();
    row.longestRunSeconds =
        wish.longestRun() == null
            ? 0
            : Checks.duration(wish.longestRun(), "longest run", Duration.ZERO).toSeconds();
    row.validFrom = clock.now();
    row.id = clock.id(row.validFrom);
    seats.addTie(row);
    seats.flush();
    journal.write(
        "tie.added",
        row.id,
        store.get(seat.integrationId).name + " signs in to " + account.login,
        Map.of("seat", seat.id.toString(), "account", account.id.toString()));
    return row;
  }
}
