package tolvin.service.sweep;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import jakarta.transaction.Transactional;
import java.time.Instant;
import java.util.ArrayList;
import java.util.EnumSet;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import java.util.stream.Collectors;
import org.jboss.logging.Logger;
import tolvin.core.estate.Registered;
import tolvin.core.sweep.Books;
import tolvin.core.sweep.Comparison;
import tolvin.core.sweep.Finding;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.Seen;
import tolvin.core.sweep.Severity;
import tolvin.core.sweep.SweepState;
import tolvin.core.word.Words;
import tolvin.service.account.Readings;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.record.sweep.FindingRow;
import tolvin.service.record.sweep.FindingStore;
import tolvin.service.record.sweep.SweepRow;
import tolvin.service.record.sweep.SweepStore;
import tolvin.service.store.ClockStore;

/** Starts and ends sweeps, and keeps what they find. */
@ApplicationScoped
public class Sweeps {
  /** What settled a finding that was simply not there any more. */
  static final String GONE = "gone";

  private static final Set<FindingKind> OF_HOST_KEYS =
      EnumSet.of(FindingKind.HOST_KEY, FindingKind.NOT_COMPARED);

  private static final Logger LOG = Logger.getLogger(Sweeps.class);
  private static final String NOT_KEPT =
      "What was read could not be kept, by an internal error; it is in the service's log.";

  private final SweepStore store;
  private final FindingStore findings;
  private final AccountStore accounts;
  private final DestinationStore destinations;
  private final BookReader bookReader;
  private final Readings readings;
  private final ClockStore clock;
  private final Journal journal;

  Sweeps(
      SweepStore store,
      FindingStore findings,
      AccountStore accounts,
      DestinationStore destinations,
      BookReader bookReader,
      Readings readings,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.findings = findings;
    this.accounts = accounts;
    this.destinations = destinations;
    this.bookReader = bookReader;
    this.readings = readings;
    this.clock = clock;
    this.journal = journal;
  }

  /** Starts a sweep of a destination, or of all; one that runs already is given back. */
  @Transactional
  SweepRow start(UUID destination, String by) {
    Optional<SweepRow> running = store.running(destination);
    if (running.isPresent()) {
      return running.get();
    }
    DestinationRow at = destination == null ? null : destinations.get(destination);
    if (at != null && at.isPartner()) {
      throw Problem.invalid(
          "Nobody can look at " + at.name + " but its own administrator.",
          "Ask them by a hand-over, or try the key.");
    }
    SweepRow row = new SweepRow();
    row.startedAt = clock.now();
    row.id = clock.id(row.startedAt);
    row.destinationId = destination;
    row.startedBy = by;
    row.state = SweepState.RUNNING;
    store.add(row);
    store.flush();
    int accountsListed = store.list(row);
    journal.write(
        "sweep.started",
        row.id,
        "Sweep of " + (at == null ? "all destinations" : at.name) + " started",
        Map.of("accounts", accountsListed));
    return row;
  }

  /** Ends a sweep before it is done; what was read stays. */
  @Transactional
  SweepRow stop(UUID id) {
    SweepRow row = store.lock(id);
    if (row.state == SweepState.RUNNING) {
      end(row, SweepState.STOPPED);
    }
    return row;
  }

  /** Ends the sweeps that have nothing left to read. */
  @Transactional
  void endDone() {
    for (SweepRow row : store.allRunning()) {
      if (store.counts(row).due() == 0) {
        end(store.lock(row.id), SweepState.DONE);
      }
    }
  }

  private void end(SweepRow row, SweepState state) {
    if (row.state != SweepState.RUNNING) {
      return;
    }
    SweepStore.Counts counts = store.counts(row);
    store.clearList(row.id);
    row.state = state;
    row.endedAt = clock.now();
    row.due = counts.due();
    row.read = counts.read();
    row.failed = counts.failed();
    journal.write(
        "sweep.ended",
        row.id,
        "Sweep "
            + Words.said(state)
            + ": "
            + counts.read()
            + " accounts read, "
            + counts.failed()
            + " not",
        Map.of("due", counts.due(), "read", counts.read(), "failed", counts.failed()));
  }

  /**
   * What one account showed, or why it could not be read.
   *
   * @param asked whether it was asked how it may sign in
   */
  record Result(UUID account, Optional<Seen> seen, boolean asked, String failure) {}

  /**
   * Keeps what a batch brought, all of it in one transaction. Should an account stand in the way of
   * the others, it is kept by itself, and told of as not read.
   *
   * @param doors what the server's configuration opens; empty if nobody looked
   */
  void keep(UUID sweep, UUID destination, List<Result> results, Optional<List<Seen.Door>> doors) {
    try {
      inNewTransaction(() -> keepTogether(sweep, destination, results, doors));
    } catch (RuntimeException together) {
      LOG.warnf("A batch of a sweep is kept one by one: %s", together.getMessage());
      for (Result result : results) {
        try {
          inNewTransaction(() -> keepTogether(sweep, destination, List.of(result), doors));
        } catch (RuntimeException alone) {
          LOG.warn("What was read on an account could not be kept", alone);
          inNewTransaction(
              () -> {
                store.note(sweep, result.account(), "failed", NOT_KEPT, clock.now());
                return null;
              });
        }
      }
    }
  }

  private Void keepTogether(
      UUID sweep, UUID destination, List<Result> results, Optional<List<Seen.Door>> doors) {
    DestinationRow at = destinations.get(destination);
    Instant now = clock.now();
    Map<UUID, Seen> seen = new HashMap<>();
    for (Result result : results) {
      result.seen().ifPresent(s -> seen.put(result.account(), s));
    }
    Set<UUID> asked =
        results.stream().filter(Result::asked).map(Result::account).collect(Collectors.toSet());
    List<AccountRow> rows = accounts.lockAll(seen.keySet());
    Map<UUID, Books> books = bookReader.of(at, rows, seen);
    Map<UUID, List<FindingRow>> open =
        findings.unsettled(seen.keySet()).stream()
            .filter(f -> !f.kind.isOfSeats())
            .collect(Collectors.groupingBy(f -> f.accountId));
    Merging merging = new Merging(at.id, seen.keySet(), now);
    Map<UUID, List<Registered>> registered = new HashMap<>();
    seen.forEach((id, there) -> registered.put(id, there.registered()));
    readings.recordAll(rows, registered);
    for (AccountRow row : rows) {
      Seen there = seen.get(row.id);
      there
          .modeSeen()
          .filter(mode -> asked.contains(row.id))
          .ifPresent(
              mode -> {
                row.modeSeen = mode;
                row.modeSeenAt = now;
              });
      List<Finding> found = Comparison.of(books.get(row.id), there);
      merging.merge(row.id, found, open.getOrDefault(row.id, List.of()));
    }
    merging.end();
    store.noteRead(sweep, seen.keySet(), now);
    for (Result result : results) {
      if (result.seen().isEmpty()) {
        store.note(sweep, result.account(), "failed", result.failure(), now);
      }
    }
    server(at, doors);
    store.flush(); // so that what the database refuses is known here
    return null;
  }

  /** What is found of a server as such; doors that nobody looked for stay as they were. */
  private void server(DestinationRow at, Optional<List<Seen.Door>> doors) {
    List<Finding> found = new ArrayList<>();
    if (at.stoppedBecause != null) {
      found.add(
          new Finding(
              at.waitsToBeCompared() ? FindingKind.NOT_COMPARED : FindingKind.HOST_KEY,
              at.name,
              Optional.empty(),
              Severity.CRITICAL,
              at.name + " is stopped.",
              at.stoppedBecause));
    }
    doors.ifPresent(
        all -> all.stream().distinct().forEach(d -> found.add(Comparison.door(at.name, d))));
    List<FindingRow> open =
        findings.unsettledOfDestination(at.id).stream()
            .filter(row -> !row.kind.isOfSeats())
            .filter(row -> doors.isPresent() || OF_HOST_KEYS.contains(row.kind))
            .toList();
    Merging merging = new Merging(at.id, Set.of(), clock.now());
    merging.merge(null, found, open);
    merging.end();
  }

  /** Brings findings of a destination in line with what was found there now. */
  private final class Merging {
    private final UUID destination;
    private final Map<String, Integer> before;
    private final Instant now;
    private final List<UUID> same = new ArrayList<>();

    Merging(UUID destination, Set<UUID> accounts, Instant now) {
      this.destination = destination;
      this.before = findings.settledBefore(destination, accounts);
      this.now = now;
    }

    /**
     * Those of one account.
     *
     * @param account null for those of the destination as such
     * @param open what was found before and is not settled
     */
    void merge(UUID account, List<Finding> found, List<FindingRow> open) {
      Set<FindingRow> left = new HashSet<>(open);
      for (Finding finding : found) {
        Optional<FindingRow> known =
            open.stream()
                .filter(f -> f.kind == finding.kind())
                .filter(f -> f.subject.equals(finding.subject()))
                .findFirst();
        known.ifPresent(left::remove);
        if (known.filter(row -> row.says(finding)).isPresent()) {
          same.add(known.get().id);
          continue;
        }
        FindingRow row = known.orElseGet(() -> fresh(account, finding));
        row.seenAt = now;
        row.say(finding);
        if (known.isEmpty()) {
          findings.add(row);
        }
      }
      for (FindingRow gone : left) {
        gone.settledAt = now;
        gone.settledBy = GONE;
      }
    }

    private FindingRow fresh(UUID account, Finding finding) {
      FindingRow row = new FindingRow();
      row.id = clock.id(now);
      row.destinationId = destination;
      row.accountId = account;
      row.kind = finding.kind();
      row.subject = finding.subject();
      row.firstSeenAt = now;
      row.cameBack = before.getOrDefault(FindingStore.matter(account, row.kind, row.subject), 0);
      return row;
    }

    /** What said the same is noted for all of them at once. */
    void end() {
      findings.seenAgain(same, now);
    }
  }

  /** Nothing more is read on a destination that is stopped or cannot be reached. */
  @Transactional
  void giveUpOn(SweepStore.Batch batch, String reason) {
    store.noteRest(batch.sweep(), batch.destination(), reason, clock.now());
    server(destinations.get(batch.destination()), Optional.empty());
  }
}
