package tolvin.service.health;

import static tolvin.service.store.Transactions.inNewTransaction;

import jakarta.enterprise.context.ApplicationScoped;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.authorized.Mark;
import tolvin.core.estate.Purpose;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.TrialPort;
import tolvin.core.server.KeysFormat;
import tolvin.core.server.SaidOfServer;
import tolvin.core.server.ServerAbility;
import tolvin.core.server.ServerKind;
import tolvin.core.word.Words;
import tolvin.service.destination.Access;
import tolvin.service.health.ConnectionTests.Step;
import tolvin.service.record.account.AccountRow;
import tolvin.service.record.destination.DestinationRow;
import tolvin.service.record.destination.DestinationStore;
import tolvin.service.store.ClockStore;

/**
 * Tests an SSH server with throw-away keys: whether one that is placed signs in, and which options
 * before a key the server takes. An option that limits somebody counts only if a key that it shuts
 * out is not let in.
 */
@ApplicationScoped
class ServerTests {
  private static final String TITLE = "Tolvin test";

  /** What is tried of each option: a line that has to be let in, and one that must not be. */
  private enum Probe {
    RESTRICT("restrict", null),
    FROM("from=\"0.0.0.0/0,::/0\"", "from=\"192.0.2.1\""),
    EXPIRY_TIME("expiry-time=\"20991231\"", "expiry-time=\"20000101\""),
    COMMAND("command=\"true\"", null),
    NO_PTY("no-pty", null),
    NO_PORT_FORWARDING("no-port-forwarding", null),
    NO_AGENT_FORWARDING("no-agent-forwarding", null),
    NO_X11_FORWARDING("no-x11-forwarding", null),
    PERMITOPEN("permitopen=\"127.0.0.1:1\"", null);

    private final String letsIn;
    private final String shutsOut;

    Probe(String letsIn, String shutsOut) {
      this.letsIn = letsIn;
      this.shutsOut = shutsOut;
    }

    String option() {
      return Words.of(this);
    }
  }

  private final DestinationStore store;
  private final Access access;
  private final AccountPort port;
  private final TrialPort trials;
  private final ClockStore clock;

  ServerTests(
      DestinationStore store, Access access, AccountPort port, TrialPort trials, ClockStore clock) {
    this.store = store;
    this.access = access;
    this.port = port;
    this.trials = trials;
    this.clock = clock;
  }

  /** Tests it on an account that nothing depends on. */
  List<Step> run(DestinationRow at, AccountRow account) {
    Place where = inNewTransaction(() -> access.account(account));
    List<Step> steps = new ArrayList<>();
    boolean on =
        ConnectionTests.step(steps, "read", () -> ConnectionTests.counted(port.read(where)))
            && ConnectionTests.step(
                steps,
                "sign in",
                () -> {
                  demandLetIn(account, where);
                  return "a throw-away Ed25519 key was placed, signs in as "
                      + account.login
                      + ", and was withdrawn";
                });
    ServerAbility known = inNewTransaction(() -> store.get(at.id).ability());
    if (on && known.format() == KeysFormat.LINES) {
      ConnectionTests.step(steps, "options", () -> options(at, account, where, known));
    }
    return steps;
  }

  private void demandLetIn(AccountRow account, Place where) throws PortException {
    if (!isLetIn(account, where, "")) {
      throw new PortException(
          PortException.Kind.NOT_ALLOWED,
          "The key was placed and read back, but the server did not let it in; it was withdrawn.",
          "Look where the server keeps the keys of its accounts (path of the keys), and how they stand"
              + " there: tolvin destination change NAME --setting format=…");
    }
  }

  private String options(DestinationRow at, AccountRow account, Place where, ServerAbility known)
      throws PortException {
    Set<String> takes = new TreeSet<>();
    Set<String> others = new TreeSet<>();
    boolean isAsExpected = known.kind() != ServerKind.OTHER;
    for (Probe probe : Probe.values()) {
      boolean ignored = isIgnored(known, probe.letsIn);
      boolean taken =
          !ignored
              && isLetIn(account, where, probe.letsIn)
              && (probe.shutsOut == null || !isLetIn(account, where, probe.shutsOut));
      (taken ? takes : others).add(probe.option());
      isAsExpected &= ignored || taken;
    }
    if (!isAsExpected) {
      inNewTransaction(
          () -> {
            DestinationRow row = store.lock(at.id);
            row.settings = new HashMap<>(row.settings);
            row.settings.put(SaidOfServer.OPTIONS, String.join(",", takes));
            return null;
          });
    }
    String all =
        others.isEmpty()
            ? "it takes all that were tried"
            : takes.isEmpty() ? "it takes none" : "it takes all but " + String.join(", ", others);
    return isAsExpected ? all : all + "; on record now";
  }

  /** Whether the server would ignore such a line for certain; it need not be tried then. */
  private boolean isIgnored(ServerAbility known, String options) {
    try (SecretPair pair = KeyPairMaker.ed25519(clock.random())) {
      String line = line(pair, options);
      return AuthorizedKeys.alone(line, known).whyNot(line).isPresent();
    }
  }

  private String line(SecretPair pair, String options) {
    String line = pair.key().line(TITLE + " " + Mark.make(clock.random()));
    return options.isEmpty() ? line : options + " " + line;
  }

  /** Places a key, tries it, and takes it off again, whatever happened. */
  private boolean isLetIn(AccountRow account, Place where, String options) throws PortException {
    try (SecretPair pair = KeyPairMaker.ed25519(clock.random())) {
      AccountPort.Entry entry =
          new AccountPort.Entry(
              line(pair, options),
              pair.key(),
              TITLE,
              Purpose.SIGN_IN,
              tolvin.core.estate.Access.WRITE,
              List.of(),
              Optional.empty(),
              Optional.empty());
      try {
        port.place(where, entry, Lease.UNLIMITED);
        return trials.attempt(access.attempt(account, "", pair)).accepted();
      } finally {
        port.withdraw(where, entry, Lease.UNLIMITED);
      }
    }
  }
}
