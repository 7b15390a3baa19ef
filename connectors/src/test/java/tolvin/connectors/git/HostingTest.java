package tolvin.connectors.git;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.sheet.Sheets;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.OneLine;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.port.TrialPort.Trial;
import tolvin.core.port.TrialPort.Who;
import tolvin.core.port.contract.AccountContract;
import tolvin.standins.local.LocalHosting;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** Users of a real git hosting layer, whose keys are files of its administration repository. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class HostingTest extends AccountContract {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String FILES =
      "keydir/tolvin/{key}/{login}.pub keydir/**/{login}.pub keydir/**/{login}@*.pub";

  private final SshConnections connections =
      new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
  private final RepositoryAccounts port = new RepositoryAccounts(connections, Clock.systemUTC());
  private final SecretPair keeper = KeyPairMaker.ed25519(RANDOM);
  private LocalSshServer server;
  private LocalHosting hosting;
  private int round;
  private int files;

  @BeforeAll
  void start(@TempDir Path directory) throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    server = LocalSshServer.at(directory.resolve("ssh"), Ports.free()).account("git").start();
    hosting = LocalHosting.in(server, "git", keeper.key().line());
    hosting.open("boats");
  }

  @BeforeEach
  void freshUser() {
    round++;
  }

  @AfterAll
  void stop() {
    port.close();
    connections.close();
    server.close();
  }

  private String login() {
    return "isla" + round;
  }

  private InRepository account(String files, boolean oneEach) {
    Server at = new Server("code", "127.0.0.1", server.port(), List.of(server.hostKey()));
    return new InRepository(
        new KeyRepository(
            new Login(at, "git", keeper),
            LocalHosting.PATH,
            LocalHosting.BRANCH,
            files,
            oneEach,
            "Tolvin <tolvin@skerrymoor.example>",
            Optional.empty()),
        login());
  }

  @Override
  protected AccountPort port() {
    return port;
  }

  @Override
  protected Place account() {
    return account(FILES, true);
  }

  @Override
  protected Entry entry(PublicKey key, String title) {
    return Sheets.entry(key, title, Purpose.SIGN_IN, Access.WRITE);
  }

  @Override
  protected String shown(Entry entry) {
    return entry.line();
  }

  @Override
  protected void addOutside(PublicKey key, String title) throws Exception {
    hosting.outside("keydir/theirs/" + ++files + "/" + login() + ".pub", key.line(title) + "\n");
  }

  /** As the layer lets them in. */
  @Override
  protected List<PublicKey> reallyThere() throws Exception {
    List<PublicKey> keys = new ArrayList<>();
    for (String line : hosting.lets(login())) {
      keys.add(OneLine.read(line.substring(line.indexOf(" ssh-") + 1)).orRefuse().key());
    }
    return keys;
  }

  @Override
  protected boolean changeOutside(PublicKey key) {
    return false; // a bare key has no terms that could be changed
  }

  @Override
  protected boolean replacesInOneStep() {
    return true;
  }

  @Override
  protected int holds() {
    return Integer.MAX_VALUE;
  }

  private Trial trial(SecretPair pair, String user) throws PortException {
    Server at = new Server("code", "127.0.0.1", server.port(), List.of(server.hostKey()));
    return new SshTrials(connections)
        .attempt(
            Attempt.ssh(new Login(at, "git", pair))
                .asking(Optional.of(new Who("info", "hello " + user + ","))));
  }

  /** All share a login: what the layer says tells whose key it was. */
  @Test
  void aTrialTellsAsWhomItWasLetIn() throws Exception {
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    assertThat(trial(pair, login()).accepted()).isFalse();
    port.place(account(), entry(pair.key(), "boats"), Lease.UNLIMITED);
    assertThat(trial(pair, login()))
        .satisfies(t -> assertThat(t.accepted()).as(t.answer()).isTrue())
        .satisfies(t -> assertThat(t.answer()).contains("boats"));
    assertThat(trial(pair, "tormod"))
        .satisfies(t -> assertThat(t.accepted()).isFalse())
        .satisfies(t -> assertThat(t.asAnother()).isTrue())
        .satisfies(t -> assertThat(t.answer()).contains("as another account: hello " + login()));
  }

  /**
   * The second key of a user in the same file makes the layer drop the file: it warns, the change
   * is taken back, and the first key goes on letting in.
   */
  @Test
  void aSecondLineThatTheLayerDropsIsTakenBackAtOnce() throws Exception {
    SecretPair first = KeyPairMaker.ed25519(RANDOM);
    SecretPair second = KeyPairMaker.ed25519(RANDOM);
    InRepository any = account("keydir/{login}.pub", false);
    port.place(any, entry(first.key(), "first"), Lease.UNLIMITED);
    assertThat(trial(first, login()).accepted()).isTrue();
    String before = hosting.say("rev-parse", LocalHosting.BRANCH + "^{tree}");
    assertThatThrownBy(() -> port.place(any, entry(second.key(), "second"), Lease.UNLIMITED))
        .isInstanceOfSatisfying(
            PortException.class,
            e -> {
              assertThat(e.kind()).isEqualTo(Kind.NOT_ALLOWED);
              assertThat(e.whole())
                  .contains("does not contain exactly 1 line")
                  .contains("taken back")
                  .contains("keys-in-a-file");
            });
    assertThat(hosting.say("rev-parse", LocalHosting.BRANCH + "^{tree}")).isEqualTo(before);
    assertThat(trial(first, login()).accepted()).isTrue();
    assertThat(trial(second, login()).accepted()).isFalse();
    assertThat(KeyRepository.flaw("keydir/{login}.pub", true).orElseThrow()).contains("{key}");
  }

  /** The layer would write them into the midst of a line, and sshd would ignore it. */
  @Test
  void optionsAreRefusedAndAnothersMistakeIsNotOurs() throws Exception {
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    Entry limited =
        new Entry(
            "no-pty " + pair.key().line("x"),
            pair.key(),
            "x",
            Purpose.SIGN_IN,
            Access.WRITE,
            List.of(),
            Optional.empty(),
            Optional.empty());
    assertThatThrownBy(() -> port.place(account(), limited, Lease.UNLIMITED))
        .hasMessageContaining("takes bare keys");
    String theirs = KeyPairMaker.ed25519(RANDOM).key().line() + "\n";
    hosting.outside("keydir/muddle" + round + ".pub", theirs + theirs);
    port.place(account(), entry(pair.key(), "boats"), Lease.UNLIMITED);
    assertThat(port.said(account())).contains("WARNING").contains("muddle" + round);
    assertThat(trial(pair, login()).accepted()).isTrue();
    hosting.outside("keydir/muddle" + round + ".pub", "no key at all\n");
    SecretPair other = KeyPairMaker.ed25519(RANDOM);
    try {
      assertThatThrownBy(() -> port.place(account(), entry(other.key(), "boats"), Lease.UNLIMITED))
          .as("it reads nothing any more, so nothing counts")
          .hasMessageContaining("FATAL");
    } finally {
      hosting.outside("keydir/muddle" + round + ".pub", theirs);
    }
  }

  /** Files that were there before, in the layer's several ways to name them. */
  @Test
  void keysAreReadWhereverTheLayerLooksForThem() throws Exception {
    List<SecretPair> pairs = new ArrayList<>();
    for (String file :
        List.of("%s.pub", "laptops/deep/%s.pub", "%s@yard.pub", "yard/%s@boat.pub")) {
      SecretPair pair = KeyPairMaker.ed25519(RANDOM);
      pairs.add(pair);
      hosting.outside("keydir/" + file.formatted(login()), pair.key().line("theirs") + "\n");
    }
    assertThat(port.read(account())).hasSize(4);
    assertThat(reallyThere()).hasSize(4);
    port.place(account(), entry(KeyPairMaker.ed25519(RANDOM).key(), "ours"), Lease.UNLIMITED);
    assertThat(port.read(account())).hasSize(5);
    for (SecretPair pair : pairs) {
      assertThat(trial(pair, login()).accepted()).isTrue();
    }
  }
}
