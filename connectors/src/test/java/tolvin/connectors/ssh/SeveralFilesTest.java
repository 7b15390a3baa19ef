package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Random;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import tolvin.core.diagnosis.Cause;
import tolvin.core.diagnosis.CauseKind;
import tolvin.core.diagnosis.Circumstances;
import tolvin.core.diagnosis.Diagnosis;
import tolvin.core.estate.Registered;
import tolvin.core.form.ExchangeFile;
import tolvin.core.key.Fingerprint;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort.Change;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.LookPort;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.core.server.SaidOfServer;
import tolvin.standins.local.LocalKeysServer;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/**
 * An account whose server looks for its keys in three files, over which keys are spread by chance:
 * who is let in, with the machine's own client, is who was read, and each refusal is explained.
 */
class SeveralFilesTest {
  private static final SecureRandom SECURE = new SecureRandom();
  private static final int KEYS = 6;

  /** How an entry stands in a file. */
  private enum Spelling {
    GOOD,
    ENDED,
    COMMENTED
  }

  /** Servers that take several files. */
  private enum Kind {
    OPENSSH(25, Spelling.values()) {
      @Override
      LocalKeysServer at(Path directory) throws IOException {
        return LocalSshServer.at(
            directory,
            Ports.free(),
            "AuthorizedKeysFile .ssh/authorized_keys %h/.ssh/more " + directory + "/home/%u/keys");
      }
    },
    PROFTPD(10, Spelling.GOOD) {
      @Override
      LocalKeysServer at(Path directory) throws IOException {
        return LocalProftpd.at(directory, Ports.free())
            .further("~/.ssh/more", directory + "/home/isla/keys");
      }
    };

    private final int rounds;
    private final List<Spelling> spellings;

    Kind(int rounds, Spelling... spellings) {
      this.rounds = rounds;
      this.spellings = List.of(spellings);
    }

    abstract LocalKeysServer at(Path directory) throws IOException;
  }

  private final SshConnections connections =
      new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
  private final AuthorizedKeysFiles accounts = new AuthorizedKeysFiles(connections);
  private final ServerLooks looks = new ServerLooks(connections);
  private final List<SecretPair> pairs =
      IntStream.range(0, KEYS).mapToObj(i -> KeyPairMaker.ed25519(SECURE)).toList();
  private final ExecutorService clients = Executors.newFixedThreadPool(KEYS);
  private Path directory;
  private Kind kind;
  private LocalKeysServer server;
  private List<Path> files;
  private Place.OverSsh place;

  @ParameterizedTest
  @EnumSource
  void aKeyCountsWhereverItStands(Kind which, @TempDir Path temporary) throws Exception {
    long seed = SECURE.nextLong();
    Random random = new Random(seed);
    kind = which;
    directory = temporary;
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    try (LocalKeysServer local = kind.at(directory.resolve("server"))) {
      server = local.account("isla").account("keeper").start();
      SecretPair keeper = KeyPairMaker.ed25519(SECURE);
      server.authorize("keeper", keeper.key().line());
      Path first = server.authorizedKeys("isla");
      files = List.of(first, first.resolveSibling("more"), server.home("isla").resolve("keys"));
      Server at = new Server("boats", "127.0.0.1", server.port(), List.of(server.hostKey()));
      place =
          new Place.OverSsh(
              new Login(at, "keeper", keeper),
              first.toString(),
              files.stream().skip(1).map(Path::toString).toList(),
              SaidOfServer.NOTHING);
      for (SecretPair pair : pairs) {
        Path file = Files.write(seat(pair), OpenSshFile.write(pair, "client", SECURE));
        Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
      }
      Unprivileged.own(directory);
      for (int round = 0; round < kind.rounds; round++) {
        String about = "seed " + seed + ", round " + round;
        Map<Fingerprint, Set<Spelling>> spelled = spread(random);
        Set<Fingerprint> in = assertReadAsLetIn(about);
        explained(in, spelled, about);
        changed(random, about);
      }
    } finally {
      connections.close();
      clients.shutdown();
    }
  }

  /** Writes some of the keys into each file, and now and then no file. */
  private Map<Fingerprint, Set<Spelling>> spread(Random random) throws IOException {
    Map<Fingerprint, Set<Spelling>> spelled =
        pairs.stream().collect(Collectors.toMap(SeveralFilesTest::print, p -> new HashSet<>()));
    for (Path file : files) {
      Files.deleteIfExists(file);
      StringBuilder text = new StringBuilder();
      for (SecretPair pair : pairs) {
        if (random.nextInt(4) == 0) {
          Spelling spelling = kind.spellings.get(random.nextInt(kind.spellings.size()));
          spelled.get(print(pair)).add(spelling);
          text.append(entry(pair, spelling, "title " + random.nextInt(2)));
        }
      }
      if (!text.isEmpty() || random.nextBoolean()) {
        Files.writeString(file, text);
        Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
      }
    }
    Unprivileged.own(server.directory());
    return spelled;
  }

  private String entry(SecretPair pair, Spelling spelling, String title) {
    String line = pair.key().line(title);
    if (kind == Kind.PROFTPD) {
      return ExchangeFile.write(pair.key(), title);
    }
    return switch (spelling) {
          case GOOD -> line;
          case ENDED -> "expiry-time=\"20200101\" " + line;
          case COMMENTED -> "# " + line;
        }
        + "\n";
  }

  private Set<Fingerprint> assertReadAsLetIn(String about) throws Exception {
    Instant now = Instant.now();
    Set<Fingerprint> read =
        accounts.read(place).stream()
            .filter(r -> !r.ignored() && r.expires().filter(end -> !now.isBefore(end)).isEmpty())
            .map(Registered::key)
            .collect(Collectors.toSet());
    Set<Fingerprint> in = letIn();
    assertThat(read).as(about).isEqualTo(in);
    return in;
  }

  /** Of those who are refused, the first cause is how their entry stands in one of the files. */
  private void explained(Set<Fingerprint> in, Map<Fingerprint, Set<Spelling>> spelled, String about)
      throws PortException {
    Circumstances.ServerSide side =
        looks.look(
            new LookPort.Where(place.login(), place.all(), place.said(), Optional.empty()),
            "isla",
            0,
            OptionalInt.empty());
    for (SecretPair pair : pairs) {
      Circumstances refused =
          new Circumstances(
              new Circumstances.Wanted(
                  "isla", "127.0.0.1", server.port(), List.of(), Optional.of(pair.key())),
              Circumstances.Outcome.REFUSED,
              Optional.empty(),
              Optional.of(side),
              Optional.empty(),
              Circumstances.Books.NONE,
              Instant.now());
      List<Cause> causes = Diagnosis.of(refused).causes();
      Set<Spelling> seen = spelled.get(print(pair));
      CauseKind expected =
          in.contains(print(pair))
              ? CauseKind.OTHER_KEYS_FILE // it was not refused, so there is nothing else to say
              : seen.contains(Spelling.ENDED)
                  ? CauseKind.EXPIRED
                  : seen.isEmpty() ? CauseKind.NOT_REGISTERED : CauseKind.LINE_COMMENTED_OUT;
      assertThat(causes).extracting(Cause::kind).as(about).startsWith(expected);
    }
  }

  /** One change by the connector, of an entry wherever it stands, and who is let in then. */
  private void changed(Random random, String about) throws Exception {
    List<Registered> before = accounts.read(place);
    SecretPair pair = pairs.get(random.nextInt(KEYS));
    List<String> theirs =
        before.stream().filter(r -> r.key().equals(print(pair))).map(Registered::line).toList();
    List<String> expected = new ArrayList<>(before.stream().map(Registered::line).toList());
    Entry agreed = RealServerTest.entry(pair.key().line("agreed"));
    List<Registered> after;
    if (theirs.isEmpty()) {
      rehearsed(Optional.of(agreed), Optional.empty(), expected);
      after = accounts.place(place, agreed, Lease.UNLIMITED);
      expected.add(agreed.line());
    } else if (random.nextBoolean()) {
      Entry going = RealServerTest.entry(theirs.get(0));
      rehearsed(Optional.empty(), Optional.of(going), expected);
      after = accounts.withdraw(place, going, Lease.UNLIMITED);
      expected.removeIf(going.line()::equals);
    } else {
      after = accounts.replace(place, theirs, agreed, Lease.UNLIMITED);
      expected.removeIf(theirs::contains);
      expected.add(agreed.line());
    }
    assertThat(after)
        .extracting(Registered::line)
        .as(about)
        .containsExactlyInAnyOrderElementsOf(expected);
    assertThat(accounts.read(place)).as(about).isEqualTo(after);
    assertReadAsLetIn(about);
    try (Stream<Path> beside = Files.list(files.get(0).getParent())) {
      assertThat(beside).as(about).allMatch(files::contains);
    }
  }

  /** What is said beforehand is what would change, and nothing is written. */
  private void rehearsed(Optional<Entry> add, Optional<Entry> remove, List<String> before)
      throws PortException {
    Change change = accounts.rehearse(place, add, remove);
    String shown = kind == Kind.PROFTPD ? "BEGIN SSH2" : "ssh-ed25519";
    long more = add.isPresent() ? 1 : -before.stream().filter(remove.get().line()::equals).count();
    assertThat(count(change.after(), shown)).isEqualTo(count(change.before(), shown) + more);
    assertThat(accounts.read(place)).extracting(Registered::line).isEqualTo(before);
  }

  private static long count(String text, String part) {
    return text.lines().filter(line -> line.contains(part)).count();
  }

  private Set<Fingerprint> letIn() {
    Map<Fingerprint, CompletableFuture<Boolean>> tried = new HashMap<>();
    for (SecretPair pair : pairs) {
      tried.put(print(pair), CompletableFuture.supplyAsync(() -> signsIn(pair), clients));
    }
    return tried.entrySet().stream()
        .filter(one -> one.getValue().join())
        .map(Map.Entry::getKey)
        .collect(Collectors.toSet());
  }

  private boolean signsIn(SecretPair pair) {
    List<String> command = new ArrayList<>(List.of(kind == Kind.PROFTPD ? "sftp" : "ssh"));
    for (String option :
        List.of(
            "Port=" + server.port(),
            "IdentityFile=" + seat(pair),
            "IdentitiesOnly=yes",
            "IdentityAgent=none",
            "BatchMode=yes",
            "StrictHostKeyChecking=no",
            "UserKnownHostsFile=/dev/null",
            "KexAlgorithms=curve25519-sha256",
            "LogLevel=ERROR")) {
      command.addAll(List.of("-o", option));
    }
    command.addAll(
        kind == Kind.PROFTPD
            ? List.of("-F", "none", "-b", "/dev/null", "isla@127.0.0.1")
            : List.of("-F", "none", "-n", "isla@127.0.0.1", "true"));
    try {
      Process process =
          new ProcessBuilder(Unprivileged.command(command)).redirectErrorStream(true).start();
      String said = new String(process.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
      boolean isIn = process.waitFor() == 0;
      assertThat(isIn || said.contains("Permission denied")).as(said).isTrue();
      return isIn;
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException(e);
    }
  }

  private Path seat(SecretPair pair) {
    return directory.resolve("seat" + pairs.indexOf(pair));
  }

  private static Fingerprint print(SecretPair pair) {
    return pair.key().fingerprint();
  }
}
