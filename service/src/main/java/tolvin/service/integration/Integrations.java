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
import tolvin.service.destination.FeedStore;
import tolvin.service.journal.Journal;
import tolvin.service.sheet.Sheets;
import tolvin.service.store.ClockStore;
import tolvin.service.web.Checks;
import tolvin.service.web.Problem;

/** Adds integrations, their seats and their ties. */
@ApplicationScoped
class Integrations {
  private static final List<String> EFFECTS =
      List.of("next_sign_in", "reload", "restart", "agent", "by_hand");

  private static final int MOST_FILES = 5;

  /** Of a seat of which nobody knows from where it signs in; no use ever comes from it. */
  private static final String NO_ADDRESS = "-";

  private final IntegrationStore store;
  private final SeatStore seats;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final FeedStore feeds;
  private final Sheets sheets;
  private final ClockStore clock;
  private final Journal journal;

  Integrations(
      IntegrationStore store,
      SeatStore seats,
      AccountStore accounts,
      DestinationStore destinations,
      FeedStore feeds,
      Sheets sheets,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.seats = seats;
    this.accounts = accounts;
    this.destinations = destinations;
    this.feeds = feeds;
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
      setClient(row, wish.takesEffect(), wish.effectCommand(), wish.morePaths());
    }
    setFallsBack(row, wish.fallsBack());
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

  /** Sets what is given of how a seat's client behaves. */
  private static void setClient(
      SeatRow row, String takesEffect, String command, List<String> morePaths) {
    if (takesEffect != null) {
      row.takesEffect = Checks.oneOf(takesEffect, EFFECTS, "way of taking effect");
    }
    boolean isTold = List.of("reload", "restart", "agent").contains(row.takesEffect);
    if (command != null || !isTold) {
      row.effectCommand = Checks.optional(command, "command");
    }
    if (isTold == row.effectCommand.isEmpty()) {
      throw Problem.invalid(
          "A command belongs to a seat that is reloaded, restarted or has an agent, and to no"
              + " other.",
          "Give takesEffect reload, restart or agent together with the command.");
    }
    if (morePaths != null) {
      row.morePaths = new ArrayList<>(morePaths.stream().map(p -> Checks.text(p, "path")).toList());
    }
    boolean doubled =
        row.morePaths.contains(row.path)
            || row.morePaths.stream().distinct().count() < row.morePaths.size();
    if (row.morePaths.size() > MOST_FILES || doubled) {
      throw Problem.invalid(
          "That are too many files, or one of them twice.", "Servers give up after six keys.");
    }
  }

  private void setFallsBack(SeatRow row, Boolean fallsBack) {
    if (fallsBack != null) {
      row.fallsBack = fallsBack;
      row.fallsBackSaidAt = clock.now();
    }
  }

  @Transactional
  SeatRow changeSeat(UUID id, IntegrationResource.SeatChange change) {
    SeatRow row = seats.lock(id);
    boolean isFile = row.kind.isEmpty() && row.machine == null;
    boolean ofFiles =
        change.morePaths() != null
            || change.takesEffect() != null
            || change.effectCommand() != null;
    if (ofFiles && !isFile) {
      throw Problem.invalid(
          row.path + " is no file that Tolvin reaches.", "Leave files and commands out.");
    }
    if (isFile) {
      setClient(row, change.takesEffect(), change.effectCommand(), change.morePaths());
    }
    if (change.morePaths() != null) {
      row.readAt = null; // its files are read again before anything rests on them
    }
    if (change.address() != null) {
      row.address = Checks.text(change.address(), "address");
    }
    setFallsBack(row, change.fallsBack());
    journal.write("seat.changed", id, "Seat " + row.path + " changed", Map.of());
    return row;
  }

  @Transactional
  TieRow changeTie(UUID id, IntegrationResource.TieChange change) {
    TieRow row = seats.lockTie(id);
    if (change.rhythm() != null) {
      row.rhythmSeconds = rhythm(change.rhythm());
    }
    if (change.longestRun() != null) {
      row.longestRunSeconds = longestRun(change.longestRun());
    }
    if (Boolean.TRUE.equals(change.forgetLearned())) {
      SeatRow seat = seats.get(row.seatId);
      feeds.forgetLearned(List.of(row.accountId), seat.address);
      journal.write(
          "tie.forgotten",
          id,
          "What was seen of the client at " + seat.address + " is forgotten and learned anew",
          Map.of("account", row.accountId.toString()));
    }
    journal.write(
        "tie.changed",
        id,
        "Rhythm of a tie is " + Duration.ofSeconds(row.rhythmSeconds) + " now",
        Map.of("longestRun", row.longestRunSeconds));
    return row;
  }

  private static long rhythm(String text) {
    return Checks.duration(text, "rhythm", Duration.ofSeconds(1)).toSeconds();
  }

  private static long longestRun(String text) {
    return text == null ? 0 : Checks.duration(text, "longest run", Duration.ZERO).toSeconds();
  }

  @Transactional
  TieRow addTie(UUID seatId, IntegrationResource.TieWish wish) {
    SeatRow seat = seats.get(seatId);
    AccountRow account = accounts.get(wish.accountId());
    TieRow row = new TieRow();
    row.seatId = seat.id;
    row.accountId = account.id;
    row.rhythmSeconds = rhythm(wish.rhythm());
    row.longestRunSeconds = longestRun(wish.longestRun());
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
