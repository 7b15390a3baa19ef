package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;
import org.assertj.core.api.ThrowableAssert.ThrowingCallable;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** The connectors against Debian's OpenSSH server. */
class RealServerTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final AtomicInteger NUMBER = new AtomicInteger();

  @TempDir static Path directory;
  private static LocalSshServer sshd;

  private final SshConnections connections =
      new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
  private final AuthorizedKeysFiles accounts = new AuthorizedKeysFiles(connections);
  private final SeatFiles seats = new SeatFiles(connections);
  private final SshTrials trials = new SshTrials(connections);
  private final SignInLogs logs = new SignInLogs(connections);
  private final SecretPair management = pair();
  private String account;
  private Login login;
  private Path file;

  @BeforeAll
  static void startServer() throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    sshd = LocalSshServer.at(directory.resolve("sshd"), Ports.free()).start();
  }

  @AfterAll
  static void stopServer() {
    sshd.close();
  }

  @BeforeEach
  void account() throws IOException {
    account = "fuel" + NUMBER.incrementAndGet();
    sshd.account(account).authorize(account, management.key().line("management"));
    login = new Login(server(), account, management);
    file = sshd.authorizedKeys(account);
  }

  /** A jump host that is known by one key does not serve who expects another. */
  @Test
  void aJumpHostsConnectionIsKeptByItsHostKeysToo() throws Exception {
    Login jump = new Login(server(), account, management);
    Server behind =
        new Server("behind", "127.0.0.1", sshd.port(), List.of(sshd.hostKey()), Optional.of(jump));
    assertThat(trials.signIn(new Login(behind, account, management)).accepted()).isTrue();
    Login other =
        new Login(
            new Server("jump", "127.0.0.1", sshd.port(), List.of(pair().key())),
            account,
            management);
    Server behindOther =
        new Server("behind", "127.0.0.1", sshd.port(), List.of(sshd.hostKey()), Optional.of(other));
    assertThatThrownBy(() -> trials.signIn(new Login(behindOther, account, management)))
        .isInstanceOfSatisfying(
            PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.HOST_KEY_CHANGED));
  }

  /**
   * Through a jump host whose connection changes its keys again and again: many at once, a file of
   * 400 kilobytes there and back, and no port of ours that others could use.
   */
  @Test
  void whatIsBehindAJumpHostIsReachedInsideItsConnectionOnly() throws Exception {
    try (LocalSshServer changing =
        LocalSshServer.at(directory.resolve("changing"), Ports.free(), "RekeyLimit 150K").start()) {
      changing.account("jump").authorize("jump", management.key().line("management"));
      Login jump =
          new Login(
              new Server("jump", "127.0.0.1", changing.port(), List.of(changing.hostKey())),
              "jump",
              management);
      Server behind =
          new Server(
              "behind", "127.0.0.1", sshd.port(), List.of(sshd.hostKey()), Optional.of(jump));
      Login inside = new Login(behind, account, management);
      Set<String> before = listening();
      Files.writeString(
          file, ("# " + "x".repeat(997) + "\n").repeat(400), StandardOpenOption.APPEND);
      String first = pair().key().line("first");
      Place place = new Place.OverSsh(inside, ".ssh/authorized_keys");
      assertThat(patiently(() -> accounts.place(place, entry(first), Lease.UNLIMITED))).hasSize(2);
      assertThat(Files.readString(file)).hasSizeGreaterThan(400_000).endsWith(first + "\n");
      ExecutorService many = Executors.newFixedThreadPool(4);
      try {
        List<Future<Boolean>> signIns = new ArrayList<>();
        for (int i = 0; i < 40; i++) {
          signIns.add(many.submit(() -> patiently(() -> trials.signIn(inside)).accepted()));
        }
        for (Future<Boolean> signIn : signIns) {
          assertThat(signIn.get()).isTrue();
        }
      } finally {
        many.shutdownNow();
      }
      assertThat(listening()).isEqualTo(before);
    }
    assertThatThrownBy(
            () ->
                trials.signIn(
                    new Login(
                        new Server(
                            "nowhere",
                            "127.0.0.1",
                            Ports.free(),
                            List.of(sshd.hostKey()),
                            Optional.of(new Login(server(), account, management))),
                        account,
                        management)))
        .isInstanceOf(PortException.class)
        .hasMessageContaining("the jump host did not connect");
  }

  /** On a crowded machine both sides may not agree on keys in time; they are asked again then. */
  private static <T> T patiently(Callable<T> work) throws Exception {
    for (int again = 0; ; again++) {
      try {
        return work.call();
      } catch (PortException e) {
        if (e.kind() != Kind.UNREACHABLE || again == Ports.PATIENCE) {
          throw e;
        }
      }
    }
  }

  /** The TCP ports that this process listens at, as the kernel names them (proc(5)). */
  private static Set<String> listening() throws IOException {
    Set<String> ours = new HashSet<>();
    try (Stream<Path> open = Files.list(Path.of("/proc/self/fd"))) {
      for (Path one : open.filter(Files::isSymbolicLink).toList()) {
        try {
          ours.add(Files.readSymbolicLink(one).toString().replaceAll("socket:\\[(.*)]", "$1"));
        } catch (NoSuchFileException closedMeanwhile) {
          continue;
        }
      }
    }
    Set<String> ports = new HashSet<>();
    for (String table : List.of("tcp", "tcp6")) {
      for (String line : Files.readAllLines(Path.of("/proc/self/net", table))) {
        String[] fields = line.strip().split(" +");
        if (fields[3].equals("0A") && ours.contains(fields[9])) {
          ports.add(fields[1]);
        }
      }
    }
    return ports;
  }

  /** A hundred thousand lines with every sort of rubbish: all read, and all but one line kept. */
  @Test
  void aHugeFileIsSurveyedAndEdited() throws Exception {
    java.io.ByteArrayOutputStream content = new java.io.ByteArrayOutputStream();
    content.writeBytes(Files.readAllBytes(file));
    String line = pair().key().line("somebody's");
    for (int i = 0; i < 100_000; i++) {
      content.writeBytes(
          switch (i % 4) {
            case 0 ->
                (line.replaceFirst("AAAAC3NzaC1lZDI1NTE5AAAAI", "AAAAC3Nz!") + "\n").getBytes();
            case 1 -> "# a comment\r\n".getBytes();
            case 2 -> new byte[] {0, 1, (byte) 0xff, '\n'};
            default -> (i == 99_999 ? line : "\n").getBytes();
          });
    }
    Files.write(file, content.toByteArray());
    Place.OverSsh there = new Place.OverSsh(login, file.toString());
    var seen = new FileSurveys(connections).survey(there, java.time.Instant.now());
    assertThat(seen.registered()).as("Tolvin's own, and the one without a line end").hasSize(2);
    assertThat(seen.ignored()).hasSize(50);
    assertThat(seen.path()).as("the file, .ssh, and the home directory").hasSize(3);
    assertThat(seen.ownerId()).contains(Long.valueOf(Unprivileged.uid()));
    AccountPort.Entry ours = entry(pair().key().line("ours"));
    accounts.place(there, ours, Lease.UNLIMITED);
    accounts.withdraw(there, ours, Lease.UNLIMITED);
    byte[] after = Files.readAllBytes(file);
    content.write('\n'); // the one byte that a last line lacked
    assertThat(java.util.Arrays.equals(after, content.toByteArray())).isTrue();
  }

  @Test
  void anotherHostKeyIsRefusedAndNothingIsSent() throws Exception {
    Login wrong =
        new Login(
            new Server("sftp.skerrymoor.example", "127.0.0.1", sshd.port(), List.of(pair().key())),
            account,
            management);
    refused(
        Kind.HOST_KEY_CHANGED,
        sshd.hostKey().fingerprint().value(),
        () -> accounts.read(new Place.OverSsh(wrong, ".ssh/authorized_keys")));
    refused(Kind.HOST_KEY_CHANGED, "not the one", () -> trials.signIn(wrong));
  }

  @Test
  void whatCannotBeReachedOrEnteredIsSaid() {
    Login nobody =
        new Login(
            new Server(
                "gone.skerrymoor.example", "127.0.0.1", Ports.free(), List.of(sshd.hostKey())),
            account,
            management);
    refused(Kind.UNREACHABLE, "cannot be reached", () -> trials.signIn(nobody));
    Login stranger = new Login(server(), account, pair());
    refused(
        Kind.SIGN_IN_REFUSED,
        "does not let Tolvin in",
        () -> accounts.read(new Place.OverSsh(stranger, ".ssh/authorized_keys")));
  }

  /** A seat is supplied in the form that it has, and the client goes on signing in with it. */
  @ParameterizedTest
  @EnumSource(PrivateForm.class)
  void aSeatKeepsItsForm(PrivateForm form) throws Exception {
    for (KeyChoice choice : List.of(KeyChoice.RSA_3072, KeyChoice.ECDSA_P256)) {
      Path seat = sshd.home(account).resolve("id_" + choice);
      SecretPair old = KeyPairMaker.make(choice, RANDOM);
      SecretPair fresh = KeyPairMaker.make(choice, RANDOM);
      sshd.authorize(account, old.key().line());
      sshd.authorize(account, fresh.key().line());
      Files.write(seat, PrivateFiles.write(old, "", form, new char[0], RANDOM));
      Files.setPosixFilePermissions(seat, PosixFilePermissions.fromString("rw-------"));
      Unprivileged.own(sshd.home(account));
      var where = new Place.OverSsh(login, seat.toString());
      assertThat(seats.read(where).offers()).contains(old.key().fingerprint());
      assertThat(signsIn(seat)).isTrue();
      byte[] secret = OpenSshFile.write(fresh, "timetable", RANDOM);
      assertThat(seats.supply(where, fresh.key(), secret, Lease.UNLIMITED).keeps())
          .contains(old.key().fingerprint());
      String first = Files.readString(seat).lines().findFirst().orElseThrow();
      assertThat(first)
          .isEqualTo(Files.readString(Path.of(seat + ".before")).lines().findFirst().orElseThrow());
      assertThat(
              PrivateFiles.open(Files.readAllBytes(seat), () -> new char[0])
                  .pair()
                  .orElseThrow()
                  .key())
          .isEqualTo(fresh.key());
      assertThat(signsIn(seat)).isTrue();
      assertThat(seats.restore(where, old.key(), Lease.UNLIMITED).offers())
          .contains(old.key().fingerprint());
      assertThat(signsIn(seat)).isTrue();
      seats.supply(where, fresh.key(), secret, Lease.UNLIMITED);
      assertThat(seats.clear(where, fresh.key(), Lease.UNLIMITED).keeps())
          .contains(old.key().fingerprint());
      byte[] edwards = OpenSshFile.write(pair(), "", RANDOM);
      if (form == PrivateForm.PEM) {
        refused(
            Kind.NOT_ALLOWED,
            "no word for Ed25519",
            () -> seats.supply(where, management.key(), edwards, Lease.UNLIMITED));
      }
    }
  }

  /** Whether the machine's own client signs in with a private file. */
  private static boolean signsIn(Path seat) throws Exception {
    Path known = directory.resolve("known_hosts");
    Files.writeString(known, "[127.0.0.1]:" + sshd.port() + " " + sshd.hostKey().line() + "\n");
    Path copy = Files.createTempFile(directory, "seat", "");
    Files.write(copy, Files.readAllBytes(seat));
    String account = seat.getParent().getFileName().toString();
    return new ProcessBuilder(
                "ssh",
                "-F",
                "none",
                "-o",
                "BatchMode=yes",
                "-o",
                "IdentitiesOnly=yes",
                "-o",
                "UserKnownHostsFile=" + known,
                "-i",
                copy.toString(),
                "-p",
                String.valueOf(sshd.port()),
                account + "@127.0.0.1",
                "true")
            .redirectErrorStream(true)
            .redirectOutput(ProcessBuilder.Redirect.DISCARD)
            .start()
            .waitFor()
        == 0;
  }

  @Test
  void theLogExplainsARefusal() throws Exception {
    Files.setPosixFilePermissions(file.getParent(), PosixFilePermissions.fromString("rwxrwxrwx"));
    var trial = trials.signIn(login);
    assertThat(trial.accepted()).isFalse();
    Files.setPosixFilePermissions(file.getParent(), PosixFilePermissions.fromString("rwx------"));
    assertThat(logs.about(login, sshd.log().toString(), trial.localPort()))
        .anyMatch(line -> line.contains("bad ownership or modes for directory"));
  }

  @Test
  void connectionsAreKeptAndUsedAgain() throws Exception {
    for (int i = 0; i < 20; i++) {
      accounts.read(keys());
    }
    assertThat(connections.traffic().connections()).isEqualTo(1);
    assertThat(connections.traffic().reads()).isEqualTo(20);
  }

  @Test
  void noMoreConnectionsAreKeptThanAServerBears() throws Exception {
    try (SshConnections few = new SshConnections(2)) {
      AuthorizedKeysFiles port = new AuthorizedKeysFiles(few);
      for (int round = 0; round < 2; round++) {
        for (String name : List.of("one", "two", "three", "four")) {
          String user = account + name;
          if (round == 0) {
            sshd.account(user).authorize(user, management.key().line());
          }
          assertThat(
                  port.read(
                      new Place.OverSsh(
                          new Login(server(), user, management), ".ssh/authorized_keys")))
              .hasSize(1);
          assertThat(few.open()).isLessThanOrEqualTo(2);
        }
      }
    }
  }

  static AccountPort.Entry entry(String line) {
    return new AccountPort.Entry(
        line,
        AuthorizedKeys.of(line.getBytes(StandardCharsets.UTF_8)).lines().get(0).key().orElseThrow(),
        "",
        Purpose.SIGN_IN,
        Access.WRITE,
        List.of(),
        Optional.empty(),
        Optional.empty());
  }

  private Place keys() {
    return new Place.OverSsh(login, ".ssh/authorized_keys");
  }

  private static Server server() {
    return server(sshd);
  }

  static Server server(LocalSshServer of) {
    return new Server("sftp.skerrymoor.example", "127.0.0.1", of.port(), List.of(of.hostKey()));
  }

  static SecretPair pair() {
    return KeyPairMaker.ed25519(RANDOM);
  }

  static void refused(Kind kind, String words, ThrowingCallable call) {
    assertThatThrownBy(call)
        .isInstanceOfSatisfying(
            PortException.class,
            e -> {
              assertThat(e.kind()).as(e.getMessage()).isEqualTo(kind);
              assertThat(e.whole()).contains(words);
            });
  }
}
