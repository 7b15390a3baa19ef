package tolvin.service.health;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.UUID;
import tolvin.api.destination.TestRequest;
import tolvin.core.authorized.Mark;
import tolvin.core.estate.Management;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
import tolvin.core.key.KeyType;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.SeatPort;
import tolvin.core.sheet.Ability;
import tolvin.core.sheet.EntryLine;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.sheet.SystemSheet.AccountKind;
import tolvin.service.destination.Access;
import tolvin.service.journal.Journal;
import tolvin.service.problem.Checks;
import tolvin.service.problem.Problem;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.account.AccountStore;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.sheet.Sheets;
import tolvin.service.store.ClockStore;

/**
 * Tests a destination with a throw-away key before it is used: reads, places, reads back,
 * withdraws, reads back; an SSH server's options, too. Its private key is thrown away at once.
 */
@ApplicationScoped
class ConnectionTests {
  private final DestinationStore store;
  private final AccountStore accounts;
  private final Sheets sheets;
  private final Access access;
  private final AccountPort port;
  private final SeatPort seatPort;
  private final ServerTests servers;
  private final ClockStore clock;
  private final Journal journal;

  ConnectionTests(
      DestinationStore store,
      AccountStore accounts,
      Sheets sheets,
      Access access,
      AccountPort port,
      SeatPort seatPort,
      ServerTests servers,
      ClockStore clock,
      Journal journal) {
    this.store = store;
    this.accounts = accounts;
    this.sheets = sheets;
    this.access = access;
    this.port = port;
    this.seatPort = seatPort;
    this.servers = servers;
    this.clock = clock;
    this.journal = journal;
  }

  /** One step of a try. */
  record Step(String step, boolean good, String said) {}

  /** What a step does, and what it saw. */
  interface Attempt {
    String done() throws PortException;
  }

  /** Tests an account of each kind, or a seat where there are no accounts. */
  List<Step> run(UUID id, TestRequest request) {
    DestinationRow at = inNewTransaction(() -> store.get(id));
    List<Step> steps = steps(at, request);
    boolean good = steps.stream().allMatch(Step::good);
    inNewTransaction(
        () -> {
          DestinationRow row = store.lock(id);
          Instant now = clock.now();
          if (good) {
            row.testedAt = now;
          }
          journal.write(
              "destination.tried",
              id,
              row.name + (good ? " was tried and works" : " was tried and does not work"),
              Map.of());
          return null;
        });
    return steps;
  }

  private List<Step> steps(DestinationRow at, TestRequest request) {
    if (at.hasFiles()) {
      return servers.run(at, account(at, request));
    }
    if (!at.hasSheet()) {
      throw Problem.invalid(
          at.name + " is neither an SSH server nor described by a sheet.",
          "Place a key on an account, and try it there: tolvin placement try");
    }
    SystemSheet sheet = inNewTransaction(() -> sheets.of(at.sheetId));
    return sheet.accounts().isEmpty() ? seat(at, sheet, request) : onAccount(account(at, request));
  }

  private AccountRow account(DestinationRow at, TestRequest request) {
    AccountRow account =
        inNewTransaction(
            () ->
                accounts
                    .byLogin(at.id, Checks.text(request.account(), "account"))
                    .orElseThrow(
                        () ->
                            Problem.invalid(
                                at.name + " has no account “" + request.account() + "” on record.",
                                "Add it first: tolvin account add " + at.name + " LOGIN")));
    if (account.managedBy == Management.ANOTHER_SOURCE) {
      throw Problem.conflict(
          "kept-elsewhere",
          account.login
              + " is managed by "
              + account.otherSource
              + "; Tolvin writes nothing there.",
          "Test it on an account that Tolvin manages.");
    }
    return account;
  }

  private List<Step> onAccount(AccountRow account) {
    AccountKind kind = inNewTransaction(() -> access.kind(account)).orElseThrow();
    Place where = inNewTransaction(() -> access.account(account));
    Ability can = kind.ability();
    List<Step> steps = new ArrayList<>();
    try (SecretPair pair = KeyPairMaker.make(choice(can.types()), clock.random())) {
      String title = EntryLine.title(can, "Tolvin test", Mark.make(clock.random()));
      Purpose purpose =
          can.purposes().contains(Purpose.SIGN_IN) ? Purpose.SIGN_IN : Purpose.SIGNING;
      tolvin.core.estate.Access right =
          can.access().contains(tolvin.core.estate.Access.READ)
              ? tolvin.core.estate.Access.READ
              : tolvin.core.estate.Access.WRITE;
      AccountPort.Entry entry =
          new AccountPort.Entry(
              EntryLine.of(pair.key(), title, purpose, right),
              pair.key(),
              title,
              purpose,
              right,
              List.of(),
              Optional.empty(),
              Optional.empty());
      boolean on =
          step(steps, "read", () -> counted(port.read(where)))
              && step(
                  steps,
                  "place",
                  () -> {
                    List<Registered> after = port.place(where, entry, Lease.UNLIMITED);
                    return "a throw-away "
                        + pair.key().type().label()
                        + " key was placed and read back, as "
                        + reference(after, entry);
                  });
      if (on) {
        step(
            steps,
            "withdraw",
            () -> {
              port.withdraw(where, entry, Lease.UNLIMITED);
              return "it was withdrawn and is gone";
            });
      }
    }
    return steps;
  }

  /** How many keys are there, as a sentence. */
  static String counted(List<Registered> there) {
    return there.size() == 1 ? "1 key is registered" : there.size() + " keys are registered";
  }

  private static String reference(List<Registered> after, AccountPort.Entry entry) {
    return after.stream()
        .filter(r -> r.line().equals(entry.line()))
        .map(Registered::details)
        .map(d -> d.reference().isEmpty() ? d.slot() : d.reference())
        .filter(r -> !r.isEmpty())
        .findFirst()
        .orElse("it was written");
  }

  private List<Step> seat(DestinationRow at, SystemSheet sheet, TestRequest request) {
    String kind = sheet.seats().keySet().iterator().next();
    Place where =
        inNewTransaction(
            () ->
                access.seat(
                    at.id,
                    kind,
                    Checks.optional(request.job(), "job"),
                    Checks.text(request.seat(), "seat")));
    List<Step> steps = new ArrayList<>();
    step(
        steps,
        "read",
        () ->
            "it holds " + seatPort.read(where).offers().map(f -> f.value()).orElse("nothing yet"));
    return steps;
  }

  static boolean step(List<Step> steps, String name, Attempt attempt) {
    try {
      steps.add(new Step(name, true, attempt.done()));
      return true;
    } catch (PortException e) {
      steps.add(new Step(name, false, e.whole()));
      return false;
    }
  }

  private static KeyChoice choice(Set<KeyType> types) {
    return types.contains(KeyType.ED25519)
        ? KeyChoice.ED25519
        : types.contains(KeyType.ECDSA_P256) ? KeyChoice.ECDSA_P256 : KeyChoice.RSA_3072;
  }
}
