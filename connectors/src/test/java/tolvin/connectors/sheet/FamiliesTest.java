package tolvin.connectors.sheet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.connectors.file.PrivateFiles;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.SshTrials;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.estate.Registered;
import tolvin.core.give.KnownHost;
import tolvin.core.pair.KeyChoice;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.PrivateForm;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Connection;
import tolvin.core.port.HealthPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.SeatPort.Holding;
import tolvin.core.port.TrialPort.Attempt;
import tolvin.core.port.TrialPort.Trial;
import tolvin.core.sheet.SystemSheet;
import tolvin.core.word.Words;
import tolvin.standins.build.BuildSystem;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.http.Weather.Fault;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.Ports;
import tolvin.standins.warehouse.Warehouse;

/** Code host, warehouse and build system in both shapes, used as they are used in earnest. */
class FamiliesTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String SECRET = "an-api-secret-of-the-tests";

  @TempDir Path directory;
  private final Clock clock = Clock.systemUTC();
  private final Steps steps = new Steps(clock, Egress.ANYWHERE);
  private final SheetAccounts accounts = new SheetAccounts(steps);
  private final SheetSeats seats = new SheetSeats(steps);

  private static SecretPair pair() {
    return KeyPairMaker.ed25519(RANDOM);
  }

  private Path open() throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    return directory;
  }

  private static Connection connection(CodeHost host, CodeHost.Shape shape) {
    return Sheets.connection(
        Sheets.read(shape == CodeHost.Shape.PLAIN ? "pierhead.yaml" : "pierhead-nested.yaml"),
        host.url(),
        Map.of("git-door", "127.0.0.1:" + host.ssh().port()),
        "key-keeper",
        SECRET);
  }

  private Path privateFile(SecretPair pair, String name) throws IOException {
    Path file = directory.resolve(name);
    Files.write(file, OpenSshFile.write(pair, name, RANDOM));
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
    return file;
  }

  /** The machine's own git. */
  private String git(CodeHost host, Path key, Path in, String... arguments) throws Exception {
    Path known = directory.resolve("known_hosts");
    Files.writeString(
        known,
        KnownHost.line(List.of("127.0.0.1"), host.ssh().port(), host.ssh().hostKey()) + "\n");
    List<String> command = new java.util.ArrayList<>(List.of("git"));
    command.addAll(List.of(arguments));
    ProcessBuilder git = new ProcessBuilder(command).directory(in.toFile());
    git.environment()
        .put(
            "GIT_SSH_COMMAND",
            "ssh -F none -o BatchMode=yes -o IdentitiesOnly=yes -o IdentityAgent=none -i "
                + key
                + " -o StrictHostKeyChecking=yes -o GlobalKnownHostsFile=none"
                + " -o UserKnownHostsFile="
                + known);
    for (String who : List.of("AUTHOR", "COMMITTER")) {
      git.environment().put("GIT_" + who + "_NAME", "Isla Renwick");
      git.environment().put("GIT_" + who + "_EMAIL", "isla@skerrymoor.example");
    }
    git.environment().put("GIT_CONFIG_GLOBAL", "/dev/null");
    Process process = git.redirectErrorStream(true).start();
    String output = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    return process.waitFor() + " " + output;
  }

  @ParameterizedTest
  @EnumSource(CodeHost.Shape.class)
  void theCodeHostLetsInExactlyTheRegisteredKeys(CodeHost.Shape shape) throws Exception {
    try (CodeHost host = CodeHost.start(open(), 0, Ports.free(), shape, SECRET);
        SshConnections connections =
            new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE))) {
      host.person("isla").repository("boats/timetable").repository("boats/fuel");
      Connection connection = connection(host, shape);
      SshTrials trials = new SshTrials(connections);
      OnSystem isla = Sheets.account(connection, "person", "isla");
      OnSystem timetable = Sheets.account(connection, "repository", "boats/timetable");
      SecretPair person = pair();
      SecretPair reader = pair();
      SecretPair signing = pair();
      Entry write = Sheets.entry(person.key(), "laptop", Purpose.SIGN_IN, Access.WRITE);
      Entry read = Sheets.entry(reader.key(), "timetable reader", Purpose.SIGN_IN, Access.READ);
      accounts.place(isla, write, Lease.UNLIMITED);
      accounts.place(
          isla,
          Sheets.entry(signing.key(), "signs", Purpose.SIGNING, Access.WRITE),
          Lease.UNLIMITED);
      accounts.place(timetable, read, Lease.UNLIMITED);

      Attempt greeting = SheetTrials.attempt(isla, "", person, List.of(host.ssh().hostKey()));
      Trial welcomed = trials.attempt(greeting);
      assertThat(welcomed.accepted()).as(welcomed.answer()).isTrue();
      Trial opened =
          trials.attempt(SheetTrials.attempt(timetable, "", reader, List.of(host.ssh().hostKey())));
      assertThat(opened.accepted()).as(opened.answer()).isTrue();
      for (SecretPair stranger : List.of(pair(), signing)) {
        assertThat(
                trials
                    .attempt(SheetTrials.attempt(isla, "", stranger, List.of(host.ssh().hostKey())))
                    .accepted())
            .isFalse();
      }

      String url = "ssh://git@127.0.0.1:" + host.ssh().port() + "/boats/timetable.git";
      Path mine = privateFile(person, "person");
      Path work = directory.resolve("work");
      assertThat(git(host, mine, directory, "clone", "-q", url, "work")).startsWith("0 ");
      Files.writeString(work.resolve("quay.csv"), "North Quay,06:40\n");
      assertThat(git(host, mine, work, "add", ".")).startsWith("0 ");
      assertThat(git(host, mine, work, "commit", "-qm", "First sailing")).startsWith("0 ");
      assertThat(git(host, mine, work, "push", "-q", "origin", "HEAD:main")).startsWith("0 ");
      Path theirs = privateFile(reader, "reader");
      assertThat(git(host, theirs, work, "fetch", "origin")).startsWith("0 ");
      assertThat(git(host, theirs, work, "push", "origin", "HEAD:other"))
          .contains("this key may read boats/timetable but not write to it")
          .doesNotStartWith("0 ");
      assertThat(git(host, theirs, directory, "ls-remote", url.replace("timetable", "fuel")))
          .contains("belongs to boats/timetable and opens nothing else");
      assertThat(git(host, privateFile(pair(), "stranger"), directory, "ls-remote", url))
          .contains("Permission denied (publickey)");

      assertThat(accounts.read(isla))
          .filteredOn(r -> r.key().equals(person.key().fingerprint()))
          .singleElement()
          .satisfies(
              r -> {
                assertThat(r.details().used()).isPresent();
                assertThat(r.details().added()).isPresent();
                assertThat(r.details().reference()).isNotEmpty();
                assertThat(r.details().title()).isEqualTo("laptop");
              });

      host.copyingTakes(Duration.ofMillis(1500));
      SecretPair late = pair();
      accounts.place(
          isla, Sheets.entry(late.key(), "late", Purpose.SIGN_IN, Access.WRITE), Lease.UNLIMITED);
      Attempt early = SheetTrials.attempt(isla, "", late, List.of(host.ssh().hostKey()));
      assertThat(trials.attempt(early).accepted()).as("not copied yet").isFalse();
      Ports.await("the key is copied", Duration.ofSeconds(10), () -> accepted(trials, early));
      accounts.withdraw(isla, write, Lease.UNLIMITED);
      Ports.await("the key is gone", Duration.ofSeconds(10), () -> !accepted(trials, greeting));
    }
  }

  /** A key that ends by itself, as the system keeps it and as git meets it. */
  @Test
  void aKeyEndsByItself() throws Exception {
    try (CodeHost host = CodeHost.start(open(), 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET);
        SshConnections connections =
            new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE))) {
      host.person("isla");
      OnSystem isla = Sheets.account(connection(host, CodeHost.Shape.PLAIN), "person", "isla");
      SecretPair pair = pair();
      Instant end = clock.instant().plusSeconds(4).truncatedTo(ChronoUnit.SECONDS);
      Entry usual = Sheets.entry(pair.key(), "a visit", Purpose.SIGN_IN, Access.WRITE);
      accounts.place(
          isla,
          new Entry(
              usual.line(),
              usual.key(),
              usual.title(),
              usual.purpose(),
              usual.access(),
              List.of(),
              Optional.of(end),
              Optional.empty()),
          Lease.UNLIMITED);
      assertThat(accounts.read(isla).get(0).expires().orElseThrow())
          .isBetween(end.minusSeconds(2), end.plusSeconds(2));
      SshTrials trials = new SshTrials(connections);
      Attempt attempt = SheetTrials.attempt(isla, "", pair, List.of(host.ssh().hostKey()));
      assertThat(trials.attempt(attempt).accepted()).isTrue();
      Ports.await("it has ended", Duration.ofSeconds(20), () -> !accepted(trials, attempt));
    }
  }

  private static boolean accepted(SshTrials trials, Attempt attempt) {
    try {
      return trials.attempt(attempt).accepted();
    } catch (PortException e) {
      throw new IllegalStateException(e);
    }
  }

  /** A signed commit is verified with the allowed-signers file that Tolvin gives out. */
  @Test
  void aSignedCommitIsVerified() throws Exception {
    try (CodeHost host = CodeHost.start(open(), 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET)) {
      SecretPair signer = pair();
      host.person("isla");
      OnSystem isla = Sheets.account(connection(host, CodeHost.Shape.PLAIN), "person", "isla");
      accounts.place(
          isla,
          Sheets.entry(signer.key(), "signs", Purpose.SIGNING, Access.WRITE),
          Lease.UNLIMITED);
      assertThat(accounts.read(isla))
          .extracting(Registered::line)
          .containsExactly(signer.key().line("signs (signing)"));
      Path key = privateFile(signer, "signer");
      Path allowed = directory.resolve("allowed_signers");
      Files.writeString(
          allowed,
          new tolvin.core.give.AllowedSigner(
                      List.of("isla@skerrymoor.example"),
                      List.of("git"),
                      Optional.empty(),
                      Optional.empty(),
                      signer.key(),
                      "")
                  .line()
              + "\n");
      Path work = Files.createDirectory(directory.resolve("signed"));
      git(host, key, work, "init", "-q");
      String[] commit = {
        "-c",
        "gpg.format=ssh",
        "-c",
        "user.signingkey=" + key,
        "commit",
        "-q",
        "-S",
        "--allow-empty",
        "-m",
        "Signed"
      };
      assertThat(git(host, key, work, commit)).startsWith("0 ");
      String[] verify = {
        "-c",
        "gpg.format=ssh",
        "-c",
        "gpg.ssh.allowedSignersFile=" + allowed,
        "verify-commit",
        "HEAD"
      };
      assertThat(git(host, key, work, verify))
          .startsWith("0 ")
          .contains("Good \"git\" signature for isla@skerrymoor.example");
      Files.writeString(allowed, "someone@else.example " + pair().key().line() + "\n");
      assertThat(git(host, key, work, verify)).doesNotStartWith("0 ");
    }
  }

  /** A job that fetches from the code host with the credential “fetch”. */
  private static BuildSystem.Job fetching(CodeHost host) {
    return new BuildSystem.Job(
        "fetch",
        "ssh://git@127.0.0.1:" + host.ssh().port() + "/boats/timetable.git",
        List.of(KnownHost.line(List.of("127.0.0.1"), host.ssh().port(), host.ssh().hostKey())));
  }

  private static OnSystem credential(BuildSystem build, SystemSheet sheet) {
    return new OnSystem(
        Sheets.connection(sheet, build.url(), Map.of(), "tolvin", SECRET),
        "credential",
        "fetch",
        "nightly");
  }

  @ParameterizedTest
  @EnumSource(BuildSystem.Shape.class)
  void theBuildSystemIsSuppliedAndTriesItself(BuildSystem.Shape shape) throws Exception {
    boolean plain = shape == BuildSystem.Shape.PLAIN;
    try (CodeHost host =
            CodeHost.start(open().resolve("code"), 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET);
        BuildSystem build = BuildSystem.start(directory.resolve("build"), 0, shape, SECRET)) {
      host.repository("boats/timetable");
      OnSystem repository =
          Sheets.account(connection(host, CodeHost.Shape.PLAIN), "repository", "boats/timetable");
      SecretPair old = pair();
      SecretPair fresh = pair();
      build
          .job("nightly", fetching(host))
          .put("fetch", new String(OpenSshFile.write(old, "old", RANDOM)));
      OnSystem seat =
          credential(build, Sheets.read(plain ? "slipway.yaml" : "slipway-versions.yaml"));
      assertThat(seats.read(seat))
          .isEqualTo(new Holding(Optional.of(old.key().fingerprint()), Optional.empty()));

      assertThat(seats.trial(seat, old.key().fingerprint()).accepted()).isFalse();
      assertThat(seats.trial(seat, old.key().fingerprint()).log())
          .contains("Permission denied (publickey)");
      for (SecretPair each : List.of(old, fresh)) {
        accounts.place(
            repository,
            Sheets.entry(each.key(), "fetch " + each.hashCode(), Purpose.SIGN_IN, Access.READ),
            Lease.UNLIMITED);
      }
      byte[] secret = OpenSshFile.write(fresh, "fetch", RANDOM);
      Holding after = seats.supply(seat, fresh.key(), secret, Lease.UNLIMITED);
      assertThat(after.offers()).contains(fresh.key().fingerprint());
      assertThat(after.keeps())
          .isEqualTo(plain ? Optional.empty() : Optional.of(old.key().fingerprint()));
      assertThat(seats.supply(seat, fresh.key(), secret, Lease.UNLIMITED)).isEqualTo(after);
      var tried = seats.trial(seat, fresh.key().fingerprint());
      assertThat(tried.accepted()).as(tried.log()).isTrue();
      assertThat(tried.log()).contains(fresh.key().fingerprintText());

      if (plain) {
        assertThatThrownBy(() -> seats.restore(seat, old.key(), Lease.UNLIMITED))
            .isInstanceOf(PortException.class);
      } else {
        assertThat(seats.restore(seat, old.key(), Lease.UNLIMITED).offers())
            .contains(old.key().fingerprint());
        seats.restore(seat, fresh.key(), Lease.UNLIMITED);
        assertThat(seats.clear(seat, old.key(), Lease.UNLIMITED).keeps()).isEmpty();
      }
      assertThat(health(seat.connection()).clockAhead().orElseThrow().abs())
          .isLessThan(Duration.ofSeconds(3));
      noPrivateByteComesBack(build, plain, secret);

      SecretPair third = pair();
      byte[] thirdFile = OpenSshFile.write(third, "third", RANDOM);
      build.weather().writes(Fault.CUT_AFTER);
      assertThat(seats.supply(seat, third.key(), thirdFile, Lease.UNLIMITED).offers())
          .as("the answer was lost, but it is there")
          .contains(third.key().fingerprint());
      SecretPair fourth = pair();
      byte[] fourthFile = OpenSshFile.write(fourth, "fourth", RANDOM);
      build.weather().writes(Fault.PRETEND);
      assertThatThrownBy(() -> seats.supply(seat, fourth.key(), fourthFile, Lease.UNLIMITED))
          .hasMessageContaining("does not hold the key that was just put there");
      assertThat(seats.read(seat).offers()).contains(third.key().fingerprint());
    }
  }

  /** Its jobs read one form only; the sheet says which. */
  @ParameterizedTest
  @EnumSource(PrivateForm.class)
  void aStoreIsSuppliedInTheFormThatItsJobsRead(PrivateForm form) throws Exception {
    try (CodeHost host =
            CodeHost.start(open().resolve("code"), 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET);
        BuildSystem build =
            BuildSystem.start(directory.resolve("build"), 0, BuildSystem.Shape.PLAIN, SECRET)) {
      host.repository("boats/timetable");
      SecretPair old = KeyPairMaker.make(KeyChoice.RSA_3072, RANDOM);
      SecretPair fresh = KeyPairMaker.make(KeyChoice.ECDSA_P256, RANDOM);
      host.outside("repository:boats/timetable", "fetch", fresh.key().line());
      build.reads(form);
      build
          .job("nightly", fetching(host))
          .put("fetch", new String(PrivateFiles.write(old, "", form, new char[0], RANDOM)));
      OnSystem seat =
          credential(
              build,
              Sheets.changed(
                  "slipway.yaml",
                  "  credential:\n",
                  "  credential:\n    form: " + Words.of(form) + "\n"));
      byte[] file = OpenSshFile.write(fresh, "fetch", RANDOM);
      assertThat(seats.supply(seat, fresh.key(), file, Lease.UNLIMITED).offers())
          .contains(fresh.key().fingerprint());
      assertThat(seats.trial(seat, fresh.key().fingerprint()).accepted()).isTrue();
      if (form == PrivateForm.PEM) {
        SecretPair edwards = pair();
        assertThatThrownBy(
                () ->
                    seats.supply(
                        seat,
                        edwards.key(),
                        OpenSshFile.write(edwards, "", RANDOM),
                        Lease.UNLIMITED))
            .hasMessageContaining("which has no word for Ed25519");
        assertThat(seats.read(seat).offers()).contains(fresh.key().fingerprint());
      }
    }
  }

  private void noPrivateByteComesBack(BuildSystem build, boolean plain, byte[] secret)
      throws Exception {
    String inside = new String(secret, StandardCharsets.US_ASCII).lines().toList().get(3);
    for (String path :
        plain
            ? List.of("/api/credentials/fetch", "/api/runs/1/log", "/api/sealing-key")
            : List.of("/v3/vault/fetch", "/v3/executions/1", "/v3/vault-key")) {
      String authorization =
          plain
              ? "Bearer " + SECRET
              : "Basic "
                  + java.util.Base64.getEncoder()
                      .encodeToString(("tolvin:" + SECRET).getBytes(StandardCharsets.UTF_8));
      String answer =
          HttpClient.newHttpClient()
              .send(
                  HttpRequest.newBuilder(URI.create(build.url() + path))
                      .header("Authorization", authorization)
                      .build(),
                  HttpResponse.BodyHandlers.ofString())
              .body();
      assertThat(answer).isNotEmpty().doesNotContain(inside).doesNotContain("PRIVATE");
    }
  }

  private HealthPort.Health health(Connection connection) throws PortException {
    return new SheetHealth(steps, clock).look(connection);
  }

  @ParameterizedTest
  @EnumSource(Warehouse.Shape.class)
  void theWarehouseIsSignedInToByAssertions(Warehouse.Shape shape) throws Exception {
    boolean table = shape == Warehouse.Shape.TABLE;
    try (LocalPostgres postgres = LocalPostgres.forTests();
        Warehouse warehouse = Warehouse.start(postgres, 0, shape, SECRET, clock)) {
      warehouse.account("loader", "key").account("other", "key");
      Connection connection =
          Sheets.connection(
              Sheets.read(table ? "lazarette.yaml" : "lazarette-roles.yaml"),
              warehouse.jdbcUrl(),
              Map.of("token-endpoint", warehouse.door().url()),
              Warehouse.KEEPER,
              SECRET);
      OnSystem loader = Sheets.account(connection, table ? "login" : "role", "loader");
      AssertionTrials trials = new AssertionTrials(clock);
      for (KeyChoice choice :
          List.of(KeyChoice.ED25519, KeyChoice.RSA_3072, KeyChoice.ECDSA_P256)) {
        SecretPair pair = KeyPairMaker.make(choice, RANDOM);
        Entry entry = Sheets.entry(pair.key(), "", Purpose.SIGN_IN, Access.WRITE);
        assertThat(trials.attempt(attempt(loader, pair)).accepted()).isFalse();
        accounts.place(loader, entry, Lease.UNLIMITED);
        assertThat(trials.attempt(attempt(loader, pair)).accepted())
            .as(choice + ": " + warehouse.door().lastReason())
            .isTrue();
        assertThat(accounts.read(loader).get(0).details().used()).isPresent();
        accounts.withdraw(loader, entry, Lease.UNLIMITED);
        assertThat(trials.attempt(attempt(loader, pair)).accepted()).isFalse();
      }
      assertThat(health(connection).clockAhead().orElseThrow().abs())
          .isLessThan(Duration.ofSeconds(2));
    }
  }

  private static Attempt attempt(OnSystem account, SecretPair pair) throws PortException {
    return SheetTrials.attempt(account, "", pair, List.of());
  }
}
