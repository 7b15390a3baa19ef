package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static tolvin.connectors.ssh.RealServerTest.entry;
import static tolvin.connectors.ssh.RealServerTest.pair;
import static tolvin.connectors.ssh.RealServerTest.refused;
import static tolvin.connectors.ssh.RealServerTest.server;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import org.apache.sshd.client.channel.ClientChannelEvent;
import org.apache.sshd.client.session.ClientSession;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Nested;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.core.diagnosis.Circumstances.PathStep;
import tolvin.core.estate.Registered;
import tolvin.core.key.OneLine;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.port.UsePort;
import tolvin.core.server.FilesScript;
import tolvin.core.server.FilesWay;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** Files on Debian's OpenSSH server, in each way that a login may reach them. */
class RemoteFilesTest {
  private static final SecureRandom RANDOM = new SecureRandom();

  @Nested
  class OverSftp extends Contract {
    @Override
    LocalSshServer at(Path directory) throws IOException {
      return LocalSshServer.at(directory, Ports.free());
    }

    @Override
    FilesWay way() {
      return FilesWay.SFTP;
    }
  }

  @Nested
  class ByCommands extends Contract {
    @Override
    LocalSshServer at(Path directory) throws IOException {
      return LocalSshServer.at(directory, Ports.free()).withoutSftp();
    }

    @Override
    FilesWay way() {
      return FilesWay.COMMANDS;
    }
  }

  /** The server has SFTP, but the line of Tolvin's key forces the script on the login. */
  @Nested
  class ByTheScript extends Contract {
    private static final List<String> MAY =
        List.of(
            "home/{login}/.ssh/authorized_keys",
            "home/{login}/.ssh/aside",
            "home/{login}/elsewhere",
            "home/{login}/keys",
            "home/{login}/link",
            "home/{login}/etc/keys",
            "home/{login}/id_timetable",
            "home/{login}/id_timetable.pub",
            "home/{login}/id_timetable.before",
            "log",
            "log.1");

    @Override
    LocalSshServer at(Path directory) throws IOException {
      LocalSshServer server = LocalSshServer.at(directory, Ports.free());
      Files.writeString(directory.resolve(FilesScript.NAME), FilesScript.TEXT);
      return server;
    }

    @Override
    FilesWay way() {
      return FilesWay.SCRIPT;
    }

    @Override
    String own(LocalSshServer server) {
      String files =
          MAY.stream().map(f -> " " + server.directory().resolve(f)).collect(Collectors.joining());
      return "command=\"sh "
          + server.directory().resolve(FilesScript.NAME)
          + files
          + "\",restrict "
          + super.own(server);
    }

    @Test
    void nothingElseIsTouchedAndNothingElseRuns() throws Exception {
      Path secret = Files.writeString(sshd.directory().resolve("secret"), "mine\n");
      Path link = sshd.home(account).resolve("link");
      Files.createSymbolicLink(link, secret);
      Unprivileged.own(sshd.home(account));
      for (Path path :
          List.of(
              secret,
              link,
              Path.of("/etc/passwd"),
              sshd.home(account).resolve("deep/down/keys"),
              Path.of(sshd.home(account) + "/.ssh/../../../secret"))) {
        refused(
            Kind.NOT_ALLOWED,
            "tolvin-files",
            () -> accounts.read(new Place.OverSsh(login, path.toString())));
      }
      assertThat(connections.<Boolean>session(login, RemoteFilesTest::answersOnlyRequests))
          .isTrue();
    }
  }

  /** What somebody with Tolvin's key would try at the script. */
  private static boolean answersOnlyRequests(ClientSession session) throws IOException {
    for (String request :
        List.of(
            "id",
            "tolvin-files",
            "tolvin-files ab nothing",
            "tolvin-files $(id) hello",
            "tolvin-files ab read /tmp/x a[$(id>/tmp/x)] 1",
            "tolvin-files ab look `id` $(id); id",
            "call ab hello",
            "/bin/sh")) {
      try (var channel = session.createExecChannel(request)) {
        ByteArrayOutputStream said = new ByteArrayOutputStream();
        channel.setIn(InputStream.nullInputStream());
        channel.setOut(said);
        channel.setErr(said);
        channel.open().verify(SshClients.PATIENCE);
        channel.waitFor(List.of(ClientChannelEvent.CLOSED), SshClients.PATIENCE);
        assertThat(said.toString()).as(request).doesNotContain("uid=");
      }
    }
    return true;
  }

  /** What holds in each way. */
  @TestInstance(TestInstance.Lifecycle.PER_CLASS)
  abstract static class Contract {
    final SshConnections connections =
        new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
    final AuthorizedKeysFiles accounts = new AuthorizedKeysFiles(connections);
    private final SeatFiles seats = new SeatFiles(connections);
    private final SshTrials trials = new SshTrials(connections);
    private final SignInLogs logs = new SignInLogs(connections);
    private final SecretPair management = pair();
    private Path directory;
    private int number;
    LocalSshServer sshd;
    String account;
    Login login;
    private Path file;

    /** A server that is not started yet. */
    abstract LocalSshServer at(Path directory) throws IOException;

    /** The way that is to be found. */
    abstract FilesWay way();

    /** Tolvin's line for an account. */
    String own(LocalSshServer server) {
      return management.key().line("management");
    }

    @BeforeAll
    void start(@TempDir Path temporary) throws IOException {
      directory = temporary;
      Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
      sshd = at(directory.resolve("sshd")).start();
    }

    @AfterAll
    void stop() {
      connections.close();
      sshd.close();
    }

    @BeforeEach
    void account() throws IOException {
      account = "fuel" + ++number;
      sshd.account(account).authorize(account, own(sshd));
      login = new Login(server(sshd), account, management);
      file = sshd.authorizedKeys(account);
    }

    @AfterEach
    void wasReachedThatWay() {
      assertThat(connections.way("127.0.0.1", sshd.port()))
          .isIn(Optional.empty(), Optional.of(way()));
    }

    @Test
    void aKeyIsPlacedSignsInAndIsWithdrawn() throws Exception {
      SecretPair pair = pair();
      String line = pair.key().line("timetable tolvin:aaaabbbbccccdddd");
      assertThat(trials.signIn(new Login(server(sshd), account, pair)))
          .satisfies(t -> assertThat(t.accepted()).isFalse())
          .satisfies(t -> assertThat(t.answer()).contains("permission denied"));

      List<Registered> placed = accounts.place(keys(), entry(line), Lease.UNLIMITED);
      assertThat(placed).contains(new Registered(pair.key().fingerprint(), line));
      assertThat(accounts.place(keys(), entry(line), Lease.UNLIMITED))
          .as("twice is once")
          .isEqualTo(placed);
      assertThat(trials.signIn(new Login(server(sshd), account, pair)).accepted()).isTrue();

      assertThat(accounts.withdraw(keys(), entry(line + " "), Lease.UNLIMITED)).isEqualTo(placed);
      assertThat(accounts.withdraw(keys(), entry(line), Lease.UNLIMITED)).hasSize(1);
      assertThat(accounts.withdraw(keys(), entry(line), Lease.UNLIMITED)).hasSize(1);
      assertThat(trials.signIn(new Login(server(sshd), account, pair)).accepted()).isFalse();
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
      String before = content.replace("KEY", pair().key().line()) + "\n" + own(sshd) + "\n";
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
      String head = own(sshd) + "\n# theirs\r\n";
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

    @Test
    void aFullDiskLeavesTheOldFile() throws Exception {
      try (LocalSshServer full =
          at(directory.resolve("full" + account))
              .account(account)
              .start(List.of("bash", "-c", "trap '' XFSZ; ulimit -f 16; exec \"$@\"", "limited"))) {
        full.authorize(account, own(full));
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
            if (looks.getAndIncrement()
                == 0) { // after the first reading, before anything is written
              append(file, theirs);
            }
          };
      accounts.place(keys(), entry(line), meanwhile);
      assertThat(Files.readString(file)).contains(theirs).endsWith(line + "\n");
      assertThat(looks).hasValue(3);
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
          .as("who could read the old one can read the new one")
          .isEqualTo("rw-r-----");
      assertThat(Files.readString(Path.of(file + ".pub"))).isEqualTo(fresh.key().line() + "\n");

      assertThat(seats.restore(where, oldKey, Lease.UNLIMITED).offers()).contains(old);
      assertThat(Files.readString(Path.of(file + ".pub"))).isEqualTo(oldKey.line() + "\n");
      assertThat(seats.supply(where, fresh.key(), secret, Lease.UNLIMITED).keeps()).contains(old);
      assertThat(seats.clear(where, fresh.key(), Lease.UNLIMITED).keeps()).contains(old);
      assertThat(seats.clear(where, oldKey, Lease.UNLIMITED).keeps()).isEmpty();
      refused(
          Kind.NOT_ALLOWED, "does not hold", () -> seats.restore(where, oldKey, Lease.UNLIMITED));
      assertThat(Files.readAllBytes(file)).as("still whole").isEqualTo(secret);
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
          "Accepted publickey for late from 127.0.0.1 port 7 ssh2: ED25519 SHA256:"
              + "l".repeat(43);
      Files.writeString(rotated, "\n" + late + "\n", StandardOpenOption.APPEND);
      var big = logs.read(login, log, news.position());
      assertThat(big.broken()).isFalse();
      assertThat(big.lines()).anyMatch(line -> line.event().user().equals("late"));
      Files.delete(rotated);
      Files.writeString(sshd.log(), "another log\n");
      assertThat(logs.read(login, log, news.position()).broken()).isTrue();
      assertThat(logs.about(login, log, 1)).isEmpty();
    }

    private Place keys() {
      return new Place.OverSsh(login, ".ssh/authorized_keys");
    }
  }

  private static void append(Path file, String text) {
    try {
      Files.writeString(file, text, StandardOpenOption.APPEND);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
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
