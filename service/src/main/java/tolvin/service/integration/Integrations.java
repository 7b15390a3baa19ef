package tolvin.service.integration;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import tolvin.api.integration.IntegrationRequest;
import tolvin.api.integration.SeatChangeRequest;
import tolvin.api.integration.SeatRequest;
import tolvin.api.integration.TieChangeRequest;
import tolvin.api.integration.TieRequest;
import tolvin.core.estate.Importance;
import tolvin.core.estate.TakesEffect;
import tolvin.core.sheet.SystemSheet.SeatKind;
import tolvin.core.word.Words;
import tolvin.service.command.HostCommands;
import tolvin.service.job.JobKind;
import tolvin.service.job.Jobs;
import tolvin.service.journal.Difference;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.integration.IntegrationRow;
import tolvin.service.record.integration.IntegrationStore;
import tolvin.service.record.integration.SeatRow;
import tolvin.service.record.integration.SeatStore;
import tolvin.service.record.integration.TieRow;
import tolvin.service.record.usage.FeedStore;
import tolvin.service.sheet.Sheets;
import tolvin.service.store.ClockStore;

/** Adds integrations, their seats and their ties. */
@ApplicationScoped
class Integrations {
  private static final int MOST_FILES = 5;

  /** Of a seat of which nobody knows from where it signs in; no use ever comes from it. */
  private static final String NO_ADDRESS = "-";

  private final IntegrationStore store;
  private final SeatStore seats;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final FeedStore feeds;
  private final Sheets sheets;
  private final HostCommands commands;
  private final ClockStore clock;
  private final Journal journal;
  private final Jobs jobs;

  Integrations(
      IntegrationStore store,
      SeatStore seats,
      AccountStore accounts,
      DestinationStore destinations,
      FeedStore feeds,
      Sheets sheets,
      HostCommands commands,
      ClockStore clock,
      Journal journal,
      Jobs jobs) {
    this.store = store;
    this.seats = seats;
    this.accounts = accounts;
    this.destinations = destinations;
    this.feeds = feeds;
    this.sheets = sheets;
    this.commands = commands;
    this.clock = clock;
    this.journal = journal;
    this.jobs = jobs;
  }

  @Transactional
  IntegrationRow add(IntegrationRequest request) {
    IntegrationRow row = new IntegrationRow();
    row.name = Checks.text(request.name(), "name");
    row.owner = Checks.text(request.owner(), "owner");
    row.importance = request.importance() == null ? Importance.NORMAL : request.importance();
    row.environment = Checks.text(request.environment(), "environment");
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
  SeatRow addSeat(UUID integration, SeatRequest request) {
    IntegrationRow owner = store.get(integration);
    SeatRow row = new SeatRow();
    row.integrationId = owner.id;
    DestinationRow host = destinations.get(request.hostId());
    row.destinationId = host.id;
    row.path = Checks.text(request.path(), "path");
    if (host.hasSheet()) {
      Map<String, SeatKind> kinds = sheets.of(host.sheetId).seats();
      if (kinds.isEmpty()) {
        throw Problem.invalid(
            host.name + " keeps no private keys.", "Name the system that the seat is on.");
      }
      row.kind =
          request.kind() == null && kinds.size() == 1
              ? kinds.keySet().iterator().next()
              : Checks.oneOf(request.kind(), List.copyOf(kinds.keySet()), "kind");
      SeatKind kind = kinds.get(row.kind);
      row.login = Checks.optional(request.job(), "job");
      row.address =
          request.address() == null ? NO_ADDRESS : Checks.text(request.address(), "address");
      row.triesItself = kind.trial().isPresent() && !row.login.isEmpty();
      row.keepsFormer = kind.keepsFormer();
    } else {
      row.login = Checks.text(request.login(), "login");
      row.address = Checks.text(request.address(), "address");
      setClient(row, request.takesEffect(), request.effectCommand(), request.morePaths());
    }
    setFallsBack(row, request.fallsBack());
    row.offers = new ArrayList<>();
    row.keeps = new ArrayList<>();
    row.everOffered = new ArrayList<>();
    Instant now = clock.now();
    row.offersSince = now;
    row.effectAt = now;
    row.validFrom = now;
    row.id = clock.id(now);
    seats.add(row);
    jobs.wake(JobKind.FIRST_LOOKS, JobKind.ALL);
    seats.flush();
    journal.write(
        "seat.added", row.id, "Seat " + row.path + " of " + owner.name + " added", Map.of());
    return row;
  }

  /** Sets what is given of how a seat's client behaves. */
  private void setClient(
      SeatRow row, TakesEffect takesEffect, String command, List<String> morePaths) {
    if (takesEffect != null) {
      row.takesEffect = takesEffect;
    }
    boolean isTold = row.takesEffect.byCommand();
    if (command != null || !isTold) {
      row.effectCommand = Checks.optional(command, "command");
    }
    if (isTold == row.effectCommand.isEmpty()) {
      throw Problem.invalid(
          "A command belongs to a seat that is reloaded, restarted or has an agent, and to no"
              + " other.",
          "Give takesEffect reload, restart or agent together with the command.");
    }
    if (isTold && (command != null || takesEffect != null)) {
      commands.demandApproved(row.effectCommand);
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
  SeatRow changeSeat(UUID id, SeatChangeRequest change) {
    SeatRow row = seats.lock(id);
    Map<String, Object> before = described(row);
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
      jobs.wake(JobKind.FIRST_LOOKS, JobKind.ALL);
    }
    if (change.address() != null) {
      row.address = Checks.text(change.address(), "address");
    }
    setFallsBack(row, change.fallsBack());
    journal.write(
        "seat.changed", id, "Seat " + row.path + " changed", Difference.of(before, described(row)));
    return row;
  }

  /** What may be changed of a seat, for the journal. */
  private static Map<String, Object> described(SeatRow row) {
    Map<String, Object> described = new HashMap<>();
    described.put("takes-effect", Words.of(row.takesEffect));
    described.put("command", row.effectCommand);
    described.put("more-paths", List.copyOf(row.morePaths));
    described.put("address", row.address);
    described.put("falls-back", row.fallsBack);
    return described;
  }

  @Transactional
  TieRow changeTie(UUID id, TieChangeRequest change) {
    TieRow row = seats.lockTie(id);
    if (change.expectedInterval() != null) {
      row.expectedIntervalSeconds = expectedInterval(change.expectedInterval());
    }
    if (change.longestSession() != null) {
      row.longestSessionSeconds = longestSession(change.longestSession());
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
        "The expected interval of a tie is "
            + Duration.ofSeconds(row.expectedIntervalSeconds)
            + " now",
        Map.of("longestSession", row.longestSessionSeconds));
    return row;
  }

  private static long expectedInterval(String text) {
    return Checks.duration(text, "expected interval", Duration.ofSeconds(1)).toSeconds();
  }

  private static long longestSession(String text) {
    return text == null ? 0 : Checks.duration(text, "longest session", Duration.ZERO).toSeconds();
  }

  @Transactional
  TieRow addTie(UUID seatId, TieRequest request) {
    SeatRow seat = seats.get(seatId);
    AccountRow account = accounts.get(request.accountId());
    TieRow row = new TieRow();
    row.seatId = seat.id;
    row.accountId = account.id;
    row.expectedIntervalSeconds = expectedInterval(request.expectedInterval());
    row.longestSessionSeconds = longestSession(request.longestSession());
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
