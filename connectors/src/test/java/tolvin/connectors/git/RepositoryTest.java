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
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.connectors.sheet.Sheets;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.authorized.AuthorizedKeys;
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
import tolvin.core.port.Server;
import tolvin.core.port.contract.AccountContract;
import tolvin.standins.local.LocalRepository;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/** Keys in a real git repository on a real OpenSSH server, beside somebody who pushes too. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class RepositoryTest extends AccountContract {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String FILES = "keys/{login}.pub";

  private final SshConnections connections =
      new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
  private final RepositoryAccounts port = new RepositoryAccounts(connections, Clock.systemUTC());
  private final SecretPair keeper = KeyPairMaker.ed25519(RANDOM);
  private final SecretPair signs = KeyPairMaker.ed25519(RANDOM);
  private LocalSshServer server;
  private LocalRepository repository;
  private Path directory;
  private int round;

  @BeforeAll
  void start(@TempDir Path directory) throws IOException {
    this.directory = directory;
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    server =
        LocalSshServer.at(
                directory.resolve("ssh"),
                Ports.free(),
                "AuthorizedKeysFile .ssh/authorized_keys .ssh/from-repository")
            .account("git")
            .start();
    server.authorize("git", keeper.key().line());
    repository = LocalRepository.in(server, "git");
  }

  @BeforeEach
  void freshAccount() throws IOException {
    round++;
    for (String name : List.of("pre-receive", "post-receive")) {
      repository.hook(name, "exit 0\n");
    }
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

  private InRepository account(String files, boolean signed) {
    Server at = new Server("keys", "127.0.0.1", server.port(), List.of(server.hostKey()));
    return new InRepository(
        new KeyRepository(
            new Login(at, "git", keeper),
            LocalRepository.PATH,
            "main",
            files,
            "Tolvin <tolvin@skerrymoor.example>",
            signed ? Optional.of(signs) : Optional.empty()),
        login());
  }

  @Override
  protected AccountPort port() {
    return port;
  }

  @Override
  protected Place account() {
    return account(FILES, false);
  }

  @Override
  protected Entry entry(PublicKey key, String title) {
    return Sheets.entry(key, title, Purpose.SIGN_IN, Access.WRITE);
  }

  private String content() throws IOException {
    try {
      return repository.say("show", "main:keys/" + login() + ".pub");
    } catch (IOException none) {
      return "";
    }
  }

  @Override
  protected void addOutside(PublicKey key, String title) throws Exception {
    repository.outside("keys/" + login() + ".pub", content() + key.line(title) + "\n");
  }

  @Override
  protected List<PublicKey> reallyThere() throws Exception {
    List<PublicKey> keys = new ArrayList<>();
    for (String line : content().lines().toList()) {
      keys.add(OneLine.read(line).orRefuse().key());
    }
    return keys;
  }

  @Override
  protected boolean changeOutside(PublicKey key) throws Exception {
    AuthorizedKeys there = AuthorizedKeys.of(content().getBytes());
    repository.outside(
        "keys/" + login() + ".pub",
        "no-pty " + there.linesOf(key.fingerprint()).get(0).text() + "\n");
    return true;
  }

  @Override
  protected boolean replacesInOneStep() {
    return true;
  }

  @Override
  protected int holds() {
    return Integer.MAX_VALUE;
  }

  @Test
  void somebodyPushesInBetweenAndBothChangesStand() throws Exception {
    PublicKey theirs = key();
    Entry ours = entry(key(), "boats");
    boolean[] pushed = {false};
    Lease pushesOnce =
        () -> {
          if (!pushed[0]) {
            pushed[0] = true;
            try {
              repository.outside("keys/" + login() + ".pub", theirs.line("theirs") + "\r\n");
            } catch (IOException e) {
              throw new IllegalStateException(e);
            }
          }
        };
    port.place(account(), ours, pushesOnce);
    assertThat(content()).isEqualTo(theirs.line("theirs") + "\r\n" + ours.line() + "\r\n");
    assertThat(repository.say("log", "-1", "--format=%s%n%b%an", "main"))
        .contains("Place boats on " + login(), ours.key().fingerprintText(), "Tolvin");
    assertThat(repository.say("show", "main:README"))
        .isEqualTo("Who may sign in, one file each.\r\nno line end");
  }

  @Test
  void eachKeyMayHaveAFileOfItsOwn() throws Exception {
    Place at = account("keys/{login}/{key}.pub", false);
    Entry one = entry(key(), "one");
    Entry two = entry(key(), "two");
    repository.outside("keys/" + login() + "/by-hand.pub", key().line("by hand") + "\n");
    port.place(at, one, Lease.UNLIMITED);
    assertThat(port.place(at, two, Lease.UNLIMITED)).hasSize(3);
    String listed = repository.say("ls-tree", "-r", "--name-only", "main", "keys/" + login());
    assertThat(listed.lines()).hasSize(3);
    assertThat(port.withdraw(at, one, Lease.UNLIMITED)).hasSize(2);
    assertThat(repository.say("ls-tree", "-r", "--name-only", "main", "keys/" + login()).lines())
        .hasSize(2);
  }

  @Test
  void commitsAreSignedAndGitSaysSo() throws Exception {
    port.place(account(FILES, true), entry(key(), "boats"), Lease.UNLIMITED);
    Path allowed = directory.resolve("allowed");
    Files.writeString(allowed, "tolvin@skerrymoor.example " + signs.key().line() + "\n");
    allowed.toFile().setReadable(true, false);
    assertThat(
            repository.say(
                "-c", "gpg.ssh.allowedSignersFile=" + allowed, "verify-commit", "-v", "main"))
        .contains("Good \"git\" signature for tolvin@skerrymoor.example");
  }

  @Test
  void aRefusalBringsTheRemotesWordsAndChangesNothing() throws Exception {
    repository.hook("pre-receive", "echo 'no key without a ticket' >&2; exit 1\n");
    String before = repository.say("rev-parse", "main");
    assertThatThrownBy(() -> port.place(account(), entry(key(), "boats"), Lease.UNLIMITED))
        .isInstanceOf(PortException.class)
        .hasMessageContaining("no key without a ticket");
    assertThat(repository.say("rev-parse", "main")).isEqualTo(before);
  }

  /** A push that succeeds is no proof: the hook applies it, says that it does not, or lies. */
  @Test
  void aPushThatIsNotAppliedIsFoundByTheTrialAlone() throws Exception {
    server.account(login());
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    repository.hook("post-receive", "echo 'queued, nothing applied yet' >&2\n");
    port.place(account(), entry(pair.key(), "boats"), Lease.UNLIMITED);
    assertThat(port.said(account())).contains("nothing applied yet");
    Server at = new Server("s", "127.0.0.1", server.port(), List.of(server.hostKey()));
    SshTrials trials = new SshTrials(connections);
    assertThat(trials.signIn(new Login(at, login(), pair)).accepted()).isFalse();
    repository.apply();
    port.place(account(), entry(key(), "second"), Lease.UNLIMITED);
    assertThat(trials.signIn(new Login(at, login(), pair)).accepted()).isTrue();
  }

  @Test
  void aSymbolicLinkIsNotWrittenThrough() throws Exception {
    repository.outside("keys/real.pub", "x\n");
    Path link = server.directory().resolve("clone-of-git/keys/" + login() + ".pub");
    Files.createSymbolicLink(link, Path.of("real.pub"));
    repository.outside("keys/other.pub", "y\n");
    assertThatThrownBy(() -> port.place(account(), entry(key(), "boats"), Lease.UNLIMITED))
        .isInstanceOf(PortException.class)
        .hasMessageContaining("not a plain file");
  }

  @ParameterizedTest
  @ValueSource(strings = {"../escape", "a/b", "", "-x", "a..b", ".git"})
  void aLoginCannotLeadOutOfTheDirectory(String login) {
    InRepository at = (InRepository) account();
    assertThatThrownBy(() -> port.read(new InRepository(at.repository(), login)))
        .isInstanceOf(PortException.class);
  }

  @ParameterizedTest
  @ValueSource(strings = {"keys/all.pub", "/keys/{login}", "keys/../{login}", ".git/{login}"})
  void aPatternStaysInTheRepository(String pattern) {
    assertThat(KeyRepository.flaw(pattern, false)).isPresent();
    assertThat(KeyRepository.flaw(FILES, false)).isEmpty();
  }
}
