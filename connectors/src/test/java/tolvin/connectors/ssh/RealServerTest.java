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
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.connectors.file.PrivateFiles;
import tolvin.core.authorized.AuthorizedKeys;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
import tolvin.core.key.OneLine;
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
import tolvin.core.port.SeatPort;
import tolvin.core.port.Server;
import tolvin.core.port.UsePort;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** The connectors against Debian's OpenSSH server. */
class RealServerTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final AtomicInteger NUMBER = new AtomicInteger();

  @TempDir static Path directory;
  private static LocalSshServer sshd;

  private final SshConnections connections = new SshConnections();
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

  @Test
  void aKeyIsPlacedSignsInAndIsWithdrawn() throws Exception {
    SecretPair pair = pair();
    String line = pair.key().line("timetable tolvin:aaaabbbbccccdddd");
    assertThat(trials.signIn(new Login(server(), account, pair)))
        .satisfies(t -> assertThat(t.accepted()).isFalse())
        .satisfies(t -> assertThat(t.answer()).contains("permission denied"));

    List<Registered> placed = accounts.place(keys(), entry(line), Lease.UNLIMITED);
    assertThat(placed).contains(new Registered(pair.key().fingerprint(), line));
    assertThat(accounts.place(keys(), entry(line), Lease.UNLIMITED))
        .as("twice is once")
        .isEqualTo(placed);
    assertThat(trials.signIn(new Login(server(), account, pair)).accepted()).isTrue();

    assertThat(accounts.withdraw(keys(), entry(line + " "), Lease.UNLIMITED)).isEqualTo(placed);
    assertThat(accounts.withdraw(keys(), entry(line), Lease.UNLIMITED)).hasSize(1);
    assertThat(accounts.withdraw(keys(), entry(line), Lease.UNLIMITED)).hasSize(1);
    assertThat(trials.signIn(new Login(server(), account, pair)).accepted()).isFalse();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "# ours\n\n  restrict,command=\"a \\\" b\" KEY old\n\tx\u00fc\n",
        "# windows\r\nKEY\r\n\r\n",
        "KEY without an end",
        "\u00ef\u00bb\u00bf# mark\nssh-ed25519 AAAAbroken\n \n"
      })
  void everyForeignByteOwnerAndModeStay(String content) throws Exception {
    String before =
        content.replace("KEY", pair().key().line()) + "\n" + management.key().line() + "\n";
    byte[] bytes = before.getBytes(java.nio.charset.StandardCharsets.ISO_8859_1);
    Files.write(file, bytes);
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-r-----"));
    var owner = Files.getAttribute(file, "unix:uid");
    String line = pair().key().line("crane tolvin:aaaabbbbccccdddd");
    accounts.place(keys(), entry(line), Lease.UNLIMITED);
    assertThat(Files.readAllBytes(file)).startsWith(bytes);
    accounts.withdraw(keys(), entry(line), Lease.UNLIMITED);
    assertThat(Files.readAllBytes(file)).isEqualTo(bytes);
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(file)))
        .isEqualTo("rw-r-----");
    assertThat(Files.getAttribute(file, "unix:uid")).isEqualTo(owner);
    try (var list = Files.list(file.getParent())) {
      assertThat(list).as("nothing is left beside").containsExactly(file);
    }
  }

  @Test
  void ofSeveralCopiesTheAgreedOneStaysWhereItIs() throws Exception {
    String agreed = pair().key().line("crane tolvin:aaaabbbbccccdddd");
    String head = management.key().line() + "\n# theirs\r\n";
    Files.writeString(
        file, head + agreed + "\n" + "no-pty " + agreed + "\n\n" + agreed + "\n" + agreed + "\n");
    List<String> found = List.of(agreed, "no-pty " + agreed, agreed, agreed);
    for (int twice = 0; twice < 2; twice++) {
      assertThat(accounts.replace(keys(), found, entry(agreed), Lease.UNLIMITED)).hasSize(2);
      assertThat(Files.readString(file)).isEqualTo(head + agreed + "\n\n");
    }
    Files.writeString(file, head + "no-pty " + agreed);
    accounts.replace(keys(), List.of("no-pty " + agreed), entry(agreed), Lease.UNLIMITED);
    assertThat(Files.readString(file)).isEqualTo(head + agreed + "\n");
    Files.writeString(file, head + "no-pty " + agreed);
    refused(
        Kind.NOT_ALLOWED,
        "did not write",
        () -> accounts.replace(keys(), List.of(agreed), entry(agreed), Lease.UNLIMITED));
  }

  @Test
  void aMissingFileIsMadeClosedToOthers() throws Exception {
    Path keys = sshd.home(account).resolve("etc/keys");
    Files.createDirectories(keys.getParent());
    Unprivileged.own(keys.getParent());
    var where = new Place.OverSsh(login, keys.toString());
    assertThat(accounts.read(where)).isEmpty();
    accounts.place(where, entry(pair().key().line("x")), Lease.UNLIMITED);
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(keys)))
        .isEqualTo("rw-------");
  }

  @Test
  void aDirectoryThatCannotBeWrittenIsSaidAndNothingChanges() throws Exception {
    byte[] before = Files.readAllBytes(file);
    Files.setPosixFilePermissions(file.getParent(), PosixFilePermissions.fromString("r-x------"));
    refused(
        Kind.NOT_ALLOWED,
        "may not write",
        () -> accounts.place(keys(), entry(pair().key().line("x")), Lease.UNLIMITED));
    assertThat(Files.readAllBytes(file)).isEqualTo(before);
  }

  @Test
  void aSymbolicLinkIsNotReplaced() throws Exception {
    Path other = sshd.home(account).resolve("elsewhere");
    Files.move(file, other);
    Files.createSymbolicLink(file, other);
    byte[] before = Files.readAllBytes(other);
    refused(
        Kind.NOT_ALLOWED,
        "symbolic link",
        () -> accounts.place(keys(), entry(pair().key().line("x")), Lease.UNLIMITED));
    assertThat(Files.isSymbolicLink(file)).isTrue();
    assertThat(Files.readAllBytes(other)).isEqualTo(before);
  }

  @Test
  void aSurveyTellsNothingThereFromNotAllowedAndFollowsLinks() throws Exception {
    FileSurveys surveys = new FileSurveys(connections);
    Place.OverSsh there = new Place.OverSsh(login, file.toString());
    java.time.Instant now = java.time.Instant.now();
    assertThat(surveys.survey(there, now).registered()).hasSize(1);
    Path aside = file.resolveSibling("aside");
    Files.move(file, aside);
    var nothing = surveys.survey(there, now);
    assertThat(nothing.registered()).isEmpty();
    assertThat(nothing.path()).as("the directories are looked at all the same").hasSize(2);
    Files.createSymbolicLink(file, aside);
    var linked = surveys.survey(there, now);
    assertThat(linked.registered()).hasSize(1);
    assertThat(linked.path().get(0).path()).isEqualTo(aside.toString());
    Files.writeString(file.resolveSibling("authorized_keys2"), "");
    Files.delete(file);
    Files.write(file, new byte[0]);
    assertThat(surveys.survey(there, now).registered()).isEmpty();
    assertThat(surveys.survey(there, now).doors()).hasSize(1);
    Path home = file.getParent().getParent();
    Files.write(home.resolve("keys"), new byte[0]);
    assertThat(surveys.survey(new Place.OverSsh(login, "keys"), now).path())
        .as("what lies above the home directory does not count, such as /tmp")
        .extracting(PathStep::path)
        .containsExactly(home.resolve("keys").toString(), home.toString());
    Path locked = file.getParent();
    Files.setPosixFilePermissions(locked, PosixFilePermissions.fromString("---------"));
    try {
      refused(Kind.NOT_ALLOWED, "may not", () -> surveys.survey(there, now));
    } finally {
      Files.setPosixFilePermissions(locked, PosixFilePermissions.fromString("rwx------"));
    }
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
  void aFullDiskLeavesTheOldFile() throws Exception {
    try (LocalSshServer full =
        LocalSshServer.at(directory.resolve("full" + account), Ports.free())
            .account(account)
            .start(List.of("bash", "-c", "trap '' XFSZ; ulimit -f 16; exec \"$@\"", "limited"))) {
      full.authorize(account, management.key().line());
      Path target = full.authorizedKeys(account);
      Files.writeString(
          target, ("#" + "x".repeat(99) + "\n").repeat(300), StandardOpenOption.APPEND);
      byte[] before = Files.readAllBytes(target);
      Login there = new Login(server(full), account, management);
      refused(
          Kind.NO_SPACE,
          "disk or quota",
          () ->
              accounts.place(
                  new Place.OverSsh(there, ".ssh/authorized_keys"),
                  entry(pair().key().line("x")),
                  Lease.UNLIMITED));
      assertThat(Files.readAllBytes(target)).isEqualTo(before);
      try (var list = Files.list(target.getParent())) {
        assertThat(list).containsExactly(target);
      }
    }
  }

  @Test
  void aLeaseThatRanOutStopsRightBeforeTheRename() throws Exception {
    byte[] before = Files.readAllBytes(file);
    Lease over =
        () -> {
          throw new PortException(Kind.LEASE_LOST, "too late", "");
        };
    assertThatThrownBy(() -> accounts.place(keys(), entry(pair().key().line("x")), over))
        .hasMessage("too late");
    assertThat(Files.readAllBytes(file)).isEqualTo(before);
  }

  @Test
  void anEditBetweenReadingAndWritingIsMerged() throws Exception {
    String theirs = "# written by somebody else\n";
    String line = pair().key().line("ours");
    AtomicInteger looks = new AtomicInteger();
    Lease meanwhile =
        () -> {
          if (looks.getAndIncrement() == 0) { // after the first reading, before anything is written
            append(file, theirs);
          }
        };
    accounts.place(keys(), entry(line), meanwhile);
    assertThat(Files.readString(file)).contains(theirs).endsWith(line + "\n");
    assertThat(looks).hasValue(3);
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

  @Test
  void aSeatIsSuppliedRestoredAndCleared() throws Exception {
    Path file = sshd.home(account).resolve("id_timetable");
    LocalKeys.make(file);
    Unprivileged.own(sshd.home(account));
    var where = new Place.OverSsh(login, file.toString());
    var old = seats.read(where).offers().orElseThrow();
    var oldKey = OneLine.read(Files.readString(Path.of(file + ".pub"))).orRefuse().key();
    SecretPair fresh = pair();
    byte[] secret = OpenSshFile.write(fresh, "timetable", RANDOM);

    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-r--r--"));
    refused(
        Kind.NOT_ALLOWED,
        "chmod o=",
        () -> seats.supply(where, fresh.key(), secret, Lease.UNLIMITED));
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-r-----"));
    for (int twice = 0; twice < 2; twice++) {
      assertThat(seats.supply(where, fresh.key(), secret, Lease.UNLIMITED))
          .isEqualTo(
              new SeatPort.Holding(Optional.of(fresh.key().fingerprint()), Optional.of(old)));
    }
    assertThat(Files.readAllBytes(file)).isEqualTo(secret);
    assertThat(PosixFilePermissions.toString(Files.getPosixFilePermissions(file)))
        .as("whoever could read the old one can read the new one")
        .isEqualTo("rw-r-----");
    assertThat(Files.readString(Path.of(file + ".pub"))).isEqualTo(fresh.key().line() + "\n");

    assertThat(seats.restore(where, oldKey, Lease.UNLIMITED).offers()).contains(old);
    assertThat(Files.readString(Path.of(file + ".pub"))).isEqualTo(oldKey.line() + "\n");
    assertThat(seats.supply(where, fresh.key(), secret, Lease.UNLIMITED).keeps()).contains(old);
    assertThat(seats.clear(where, fresh.key(), Lease.UNLIMITED).keeps()).contains(old);
    assertThat(seats.clear(where, oldKey, Lease.UNLIMITED).keeps()).isEmpty();
    refused(Kind.NOT_ALLOWED, "does not hold", () -> seats.restore(where, oldKey, Lease.UNLIMITED));
    assertThat(Files.readAllBytes(file)).as("still whole").isEqualTo(secret);
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
  void theLogTellsUsesAndOurOwnTrialsAndSurvivesRotation() throws Exception {
    String log = sshd.log().toString();
    var start = logs.read(login, log, UsePort.Position.NONE);
    assertThat(start.lines()).isEmpty();
    var trial = trials.signIn(login);
    var news = logs.read(login, log, start.position());
    assertThat(news.lines())
        .anySatisfy(
            s -> {
              var signIn = s.signIn().orElseThrow();
              assertThat(signIn.port()).isEqualTo(trial.localPort());
              assertThat(signIn.user()).isEqualTo(account);
              assertThat(signIn.key()).isEqualTo(management.key().fingerprint());
            });
    trials.signIn(login);
    byte[] all = Files.readAllBytes(sshd.log());
    Path rotated = Path.of(log + ".1");
    Files.write(rotated, all);
    Files.write(sshd.log(), new byte[0]);
    var after = logs.read(login, log, news.position());
    assertThat(after.broken()).isFalse();
    assertThat(after.lines()).isNotEmpty();
    // an old log of which much was left is read to its end, over a line without one
    Files.write(rotated, "x".repeat(9 * 1024 * 1024).getBytes(), StandardOpenOption.APPEND);
    String late =
        "Accepted publickey for late from 127.0.0.1 port 7 ssh2: ED25519 SHA256:" + "l".repeat(43);
    Files.writeString(rotated, "\n" + late + "\n", StandardOpenOption.APPEND);
    var big = logs.read(login, log, news.position());
    assertThat(big.broken()).isFalse();
    assertThat(big.lines()).anyMatch(line -> line.event().user().equals("late"));
    Files.delete(rotated);
    Files.writeString(sshd.log(), "another log\n");
    assertThat(logs.read(login, log, news.position()).broken()).isTrue();
    assertThat(logs.about(login, log, 1)).isEmpty();
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

  private static void append(Path file, String text) {
    try {
      Files.writeString(file, text, StandardOpenOption.APPEND);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static AccountPort.Entry entry(String line) {
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

  private static Server server(LocalSshServer of) {
    return new Server("sftp.skerrymoor.example", "127.0.0.1", of.port(), List.of(of.hostKey()));
  }

  private static SecretPair pair() {
    return KeyPairMaker.ed25519(RANDOM);
  }

  private static void refused(Kind kind, String words, ThrowingCallable call) {
    assertThatThrownBy(call)
        .isInstanceOfSatisfying(
            PortException.class,
            e -> {
              assertThat(e.kind()).as(e.getMessage()).isEqualTo(kind);
              assertThat(e.whole()).contains(words);
            });
  }

  /** Keys made by the OpenSSH on the machine. */
  private static final class LocalKeys {
    static void make(Path file) throws Exception {
      Process process =
          new ProcessBuilder("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", file.toString())
              .inheritIO()
              .start();
      assertThat(process.waitFor()).isZero();
    }
  }
}
