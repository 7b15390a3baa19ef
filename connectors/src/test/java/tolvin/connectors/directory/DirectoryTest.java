package tolvin.connectors.directory;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.directory.DirectoryServer.Security;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.sheet.Sheets;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
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
import tolvin.core.port.contract.AccountContract;
import tolvin.standins.local.LocalDirectory;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** Keys in a real directory server over TLS, and an OpenSSH server that reads them from it. */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class DirectoryTest extends AccountContract {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String SECRET = "a-made-up-secret";

  private final DirectoryAccounts port = new DirectoryAccounts(Egress.ANYWHERE);
  private LocalDirectory directory;
  private LocalSshServer server;
  private int round;

  @BeforeAll
  void start(@TempDir Path files) throws IOException {
    Files.setPosixFilePermissions(files, PosixFilePermissions.fromString("rwxr-xr-x"));
    directory = LocalDirectory.start(files.resolve("directory"), Ports.free(), SECRET);
    server =
        LocalSshServer.at(
                files.resolve("ssh"),
                Ports.free(),
                directory.sshOptions("runner").toArray(String[]::new))
            .start();
  }

  @BeforeEach
  void freshPerson() throws IOException {
    round++;
    directory.person(login(), "Isla Renwick");
  }

  @AfterAll
  void stop() {
    port.close();
    server.close();
    directory.close();
  }

  private String login() {
    return "isla" + round;
  }

  private DirectoryServer at(String host, int port, String trusted, String user, String secret) {
    return at(Security.LDAPS, host, port, trusted, user, secret);
  }

  private DirectoryServer at(
      Security security, String host, int port, String trusted, String user, String secret) {
    return new DirectoryServer(
        "people",
        host,
        port,
        security,
        trusted,
        user,
        secret,
        "ou=people," + LocalDirectory.BASE,
        "(uid={login})",
        LocalDirectory.ATTRIBUTE,
        LocalDirectory.CLASS);
  }

  private DirectoryServer at() {
    try {
      return at("127.0.0.1", directory.port(), directory.trusted(), LocalDirectory.KEEPER, SECRET);
    } catch (IOException e) {
      throw new IllegalStateException(e);
    }
  }

  @Override
  protected AccountPort port() {
    return port;
  }

  @Override
  protected Place account() {
    return new InDirectory(at(), login());
  }

  @Override
  protected Entry entry(PublicKey key, String title) {
    return Sheets.entry(key, title, Purpose.SIGN_IN, Access.WRITE);
  }

  private void change(String lines) throws IOException {
    directory.modify(
        "ldapmodify",
        "dn: uid="
            + login()
            + ",ou=people,"
            + LocalDirectory.BASE
            + "\nchangetype: modify\n"
            + lines);
  }

  private void addValue(String value) throws IOException {
    boolean first = directory.values(login()).isEmpty();
    change(
        (first ? "add: objectClass\nobjectClass: " + LocalDirectory.CLASS + "\n-\n" : "")
            + "add: "
            + LocalDirectory.ATTRIBUTE
            + "\n"
            + LocalDirectory.ATTRIBUTE
            + ":: "
            + Base64.getEncoder().encodeToString(value.getBytes(StandardCharsets.UTF_8))
            + "\n");
  }

  @Override
  protected void addOutside(PublicKey key, String title) throws Exception {
    addValue(key.line(title));
  }

  @Override
  protected List<PublicKey> reallyThere() throws Exception {
    List<PublicKey> keys = new ArrayList<>();
    for (String value : directory.values(login())) {
      String text =
          value.startsWith(":")
              ? new String(Base64.getDecoder().decode(value.substring(1).strip()))
              : value.strip();
      keys.add(OneLine.read(text).orRefuse().key());
    }
    return keys;
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
  void aValueWithALineEndIsForeignAndStaysWithIt() throws Exception {
    PublicKey foreign = key();
    addValue(foreign.line("theirs") + "\n");
    Entry ours = entry(key(), "boats");
    List<Registered> after = port.place(account(), ours, Lease.UNLIMITED);
    assertThat(after)
        .extracting(Registered::line)
        .containsExactlyInAnyOrder(foreign.line("theirs") + "\n", ours.line());
    port.withdraw(account(), entry(foreign, "theirs"), Lease.UNLIMITED); // no such value
    port.withdraw(account(), ours, Lease.UNLIMITED);
    assertThat(port.read(account()))
        .extracting(Registered::line)
        .containsExactly(foreign.line("theirs") + "\n");
  }

  @Test
  void anEditBetweenReadAndWriteIsNoticedByItsVersion() throws Exception {
    Entry ours = entry(key(), "boats");
    int[] looked = {0};
    Lease somebodyWrites =
        () -> {
          try {
            if (looked[0]++ == 0) {
              change("replace: description\ndescription: changed meanwhile\n");
            }
          } catch (IOException e) {
            throw new IllegalStateException(e);
          }
        };
    port.place(account(), ours, somebodyWrites);
    assertThat(looked[0]).as("looked at the lease once for each try").isEqualTo(2);
    assertThat(reallyThere()).containsExactly(ours.key());
  }

  @Test
  void anOpenSshServerReadsTheKeyFromTheDirectoryAtOnce() throws Exception {
    server.account(login());
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    Server ssh = new Server("s", "127.0.0.1", server.port(), List.of(server.hostKey()));
    Entry entry = entry(pair.key(), "boats");
    try (SshConnections connections =
        new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE))) {
      SshTrials trials = new SshTrials(connections);
      assertThat(trials.signIn(new Login(ssh, login(), pair)).accepted()).isFalse();
      port.place(account(), entry, Lease.UNLIMITED);
      assertThat(trials.signIn(new Login(ssh, login(), pair)).accepted())
          .as(() -> tolvin.standins.local.Tail.of(server.log(), 20) + Unprivileged.uid())
          .isTrue();
      port.withdraw(account(), entry, Lease.UNLIMITED);
      assertThat(trials.signIn(new Login(ssh, login(), pair)).accepted()).isFalse();
    }
  }

  @Test
  void aConnectionThatBeginsInTheClearGoesOnUnderTls() throws Exception {
    int plain = directory.plainPort();
    DirectoryServer there =
        at(
            Security.STARTTLS,
            "127.0.0.1",
            plain,
            directory.trusted(),
            LocalDirectory.KEEPER,
            SECRET);
    Entry ours = entry(key(), "boats");
    port.place(new InDirectory(there, login()), ours, Lease.UNLIMITED);
    assertThat(reallyThere()).containsExactly(ours.key());
    DirectoryServer other =
        at(
            Security.STARTTLS,
            "localhost.localdomain",
            plain,
            directory.trusted(),
            LocalDirectory.KEEPER,
            SECRET);
    assertThatThrownBy(() -> port.read(new InDirectory(other, login())))
        .isInstanceOfSatisfying(
            PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.UNREACHABLE));
  }

  @Test
  void valuesThatHoldNoKeyAreToldByTheirNumber() throws Exception {
    addValue(key().line("theirs"));
    addValue("ssh-ed25519 AAAA broken");
    addValue("no-such-option " + key().line("passed over"));
    var seen = port.survey((InDirectory) account(), java.time.Instant.now());
    assertThat(seen.registered()).hasSize(2);
    assertThat(seen.ignored()).hasSize(2);
    assertThat(seen.registered())
        .as("what a server ignores lets nobody in")
        .filteredOn(r -> r.line().startsWith("no-such-option"))
        .isNotEmpty()
        .allMatch(Registered::ignored);
  }

  @Test
  void whatIsWrongIsSaidWithTheWayOut() throws Exception {
    String good = directory.trusted();
    int port = directory.port();
    record Case(DirectoryServer at, String login, Kind kind, String says) {}
    String other;
    try (LocalDirectory second =
        LocalDirectory.start(server.directory().resolve("second"), Ports.free(), SECRET)) {
      other = second.trusted();
    }
    for (Case c :
        List.of(
            new Case(
                at("127.0.0.1", port, good, LocalDirectory.KEEPER, "wrong"),
                login(),
                Kind.SIGN_IN_REFUSED,
                "does not let Tolvin in"),
            new Case(
                at("127.0.0.1", port, other, LocalDirectory.KEEPER, SECRET),
                login(),
                Kind.UNREACHABLE,
                "over TLS"),
            new Case(
                at("localhost.localdomain", port, good, LocalDirectory.KEEPER, SECRET),
                login(),
                Kind.UNREACHABLE,
                "over TLS"),
            new Case(
                at("127.0.0.1", Ports.free(), good, LocalDirectory.KEEPER, SECRET),
                login(),
                Kind.UNREACHABLE,
                "cannot be reached"),
            new Case(
                at("127.0.0.1", port, "no certificate", LocalDirectory.KEEPER, SECRET),
                login(),
                Kind.NOT_ALLOWED,
                "certificate"),
            new Case(at(), "nobody*", Kind.NO_ACCOUNT, "no entry for nobody*"))) {
      assertThatThrownBy(() -> this.port.read(new InDirectory(c.at(), c.login())))
          .as(c.says())
          .isInstanceOfSatisfying(
              PortException.class,
              e -> {
                assertThat(e.kind()).isEqualTo(c.kind());
                assertThat(e.whole()).contains(c.says()).doesNotContain(SECRET);
              });
    }
  }
}
