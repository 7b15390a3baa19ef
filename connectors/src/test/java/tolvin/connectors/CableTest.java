package tolvin.connectors;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Clock;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestInstance;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.directory.DirectoryServer;
import tolvin.connectors.directory.InDirectory;
import tolvin.connectors.git.InRepository;
import tolvin.connectors.git.KeyRepository;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.OneLine;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.SeatPort;
import tolvin.core.port.Server;
import tolvin.standins.local.Cable;
import tolvin.standins.local.LocalDirectory;
import tolvin.standins.local.LocalRepository;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/**
 * The cable to real servers is cut at every place in a change, is slow, and goes dead: nothing
 * foreign is changed or lost, nothing of ours stands there half, and doing it again does it.
 */
@TestInstance(TestInstance.Lifecycle.PER_CLASS)
class CableTest {
  private static final SecureRandom RANDOM = new SecureRandom();
  private static final String SECRET = "a-made-up-secret";
  private static final int CUTS = 8;
  private static final String FOREIGN =
      KeyPairMaker.ed25519(RANDOM).key().line("theirs, with a line end of its own");

  private final SecretPair keeper = KeyPairMaker.ed25519(RANDOM);
  private final SshConnections connections = new SshConnections();
  private final Routing routing = new Routing(connections, Clock.systemUTC(), Map.of());
  private final AccountPort accounts = routing.accounts();
  private LocalSshServer ssh;
  private LocalRepository repository;
  private LocalDirectory people;

  @BeforeAll
  void start(@TempDir Path directory) throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    ssh =
        LocalSshServer.at(directory.resolve("ssh"), Ports.free())
            .account("git")
            .account("isla")
            .start();
    ssh.authorize("git", keeper.key().line());
    ssh.authorize("isla", keeper.key().line());
    repository = LocalRepository.in(ssh, "git");
    people = LocalDirectory.start(directory.resolve("people"), Ports.free(), SECRET);
    people.person("isla", "Isla Renwick");
  }

  @AfterAll
  void stop() {
    routing.close();
    connections.close();
    people.close();
    ssh.close();
    keeper.close();
  }

  private Server behind(Cable cable) {
    return new Server("s", "127.0.0.1", cable.port(), List.of(ssh.hostKey()));
  }

  private Place.OverSsh file(Cable cable) {
    return new Place.OverSsh(new Login(behind(cable), "isla", keeper), "keys");
  }

  private InRepository inRepository(Cable cable) {
    return new InRepository(
        new KeyRepository(
            new Login(behind(cable), "git", keeper),
            LocalRepository.PATH,
            "main",
            "keys/{login}.pub",
            "Tolvin <tolvin@skerrymoor.example>",
            Optional.empty()),
        "isla");
  }

  private InDirectory inDirectory(Cable cable) throws IOException {
    return new InDirectory(
        new DirectoryServer(
            "people",
            "127.0.0.1",
            cable.port(),
            DirectoryServer.Security.LDAPS,
            people.trusted(),
            LocalDirectory.KEEPER,
            SECRET,
            "ou=people," + LocalDirectory.BASE,
            "(uid={login})",
            LocalDirectory.ATTRIBUTE,
            LocalDirectory.CLASS),
        "isla");
  }

  private static AccountPort.Entry entry() {
    var key = KeyPairMaker.ed25519(RANDOM).key();
    return new AccountPort.Entry(
        key.line("boats"),
        key,
        "boats",
        Purpose.SIGN_IN,
        Access.WRITE,
        List.of(),
        Optional.empty(),
        Optional.empty());
  }

  /** What really stands there, found out without the connectors. */
  private interface Oracle {
    String content() throws Exception;
  }

  private void isNeverHalf(Place place, Cable cable, Oracle there) throws Exception {
    String before = there.content();
    AccountPort.Entry measured = entry();
    accounts.read(place);
    long start = cable.sent();
    accounts.place(place, measured, Lease.UNLIMITED);
    long bytes = cable.sent() - start;
    accounts.withdraw(place, measured, Lease.UNLIMITED);
    assertThat(there.content()).isEqualTo(before);
    for (int cut = 0; cut < CUTS; cut++) {
      AccountPort.Entry entry = entry();
      for (String action : List.of("place", "withdraw")) {
        readAgain(place);
        cable.cutAfter(bytes * cut / CUTS);
        String with = before + entry.line() + "\n";
        try {
          change(place, entry, action);
        } catch (PortException e) {
          assertThat(e.kind())
              .as("%s, cut at %d: %s", action, cut, e.whole())
              .isIn(Kind.UNREACHABLE, Kind.UNKNOWN_OUTCOME);
        }
        cable.mend();
        assertThat(there.content()).as("%s, cut at %d", action, cut).isIn(before, with);
        again(place, entry, action);
        assertThat(there.content())
            .as("%s again, cut at %d", action, cut)
            .isEqualTo(action.equals("place") ? with : before);
      }
    }
  }

  private void readAgain(Place place) throws PortException {
    try {
      accounts.read(place);
    } catch (PortException cutBefore) {
      accounts.read(place);
    }
  }

  /** As the runner does: what could not be reached is tried again. */
  private void again(Place place, AccountPort.Entry entry, String action) throws PortException {
    for (int i = 0; ; i++) {
      try {
        change(place, entry, action);
        return;
      } catch (PortException e) {
        if (e.kind() != Kind.UNREACHABLE || i == 5) {
          throw e;
        }
      }
    }
  }

  private void change(Place place, AccountPort.Entry entry, String action) throws PortException {
    if (action.equals("place")) {
      accounts.place(place, entry, Lease.UNLIMITED);
    } else {
      accounts.withdraw(place, entry, Lease.UNLIMITED);
    }
  }

  @Test
  void aFileIsNeverHalf() throws Exception {
    Path file = ssh.home("isla").resolve("keys");
    Files.writeString(file, FOREIGN + "\r\n\u0000 rubbish\n");
    Unprivileged.own(ssh.home("isla"));
    try (Cable cable = Cable.to(ssh.port())) {
      // a file takes the line end that it uses
      isNeverHalf(file(cable), cable, () -> Files.readString(file).replace("\r\n", "\n"));
      try (var list = Files.list(file.getParent())) {
        assertThat(list.map(p -> p.getFileName().toString()))
            .as("nothing is left beside")
            .containsOnly("keys", ".ssh");
      }
    }
  }

  @Test
  void aRepositoryIsNeverHalf() throws Exception {
    repository.outside("keys/isla.pub", FOREIGN + "\n");
    try (Cable cable = Cable.to(ssh.port())) {
      isNeverHalf(inRepository(cable), cable, () -> repository.say("show", "main:keys/isla.pub"));
      assertThat(repository.say("fsck", "--strict")).doesNotContain("error");
    }
  }

  @Test
  void aDirectorysEntryIsNeverHalf() throws Exception {
    try (Cable cable = Cable.to(people.port())) {
      accounts.place(
          inDirectory(cable),
          new AccountPort.Entry(
              FOREIGN,
              OneLine.read(FOREIGN).orRefuse().key(),
              "theirs",
              Purpose.SIGN_IN,
              Access.WRITE,
              List.of(),
              Optional.empty(),
              Optional.empty()),
          Lease.UNLIMITED);
      isNeverHalf(
          inDirectory(cable),
          cable,
          () ->
              people.values("isla").stream()
                  .map(CableTest::plain)
                  .sorted((a, b) -> a.equals(FOREIGN) ? -1 : b.equals(FOREIGN) ? 1 : 0)
                  .collect(Collectors.joining("\n", "", "\n")));
    }
  }

  private static String plain(String value) {
    return value.startsWith(":")
        ? new String(Base64.getDecoder().decode(value.substring(1).strip()))
        : value.strip();
  }

  @Test
  void aSeatIsAtEveryMomentAWholePrivateFile() throws Exception {
    Path file = ssh.home("isla").resolve("seat").resolve("id_boats");
    Files.createDirectories(file.getParent());
    SeatPort seats = routing.seats();
    try (Cable cable = Cable.to(ssh.port());
        SecretPair old = KeyPairMaker.ed25519(RANDOM);
        SecretPair fresh = KeyPairMaker.ed25519(RANDOM)) {
      byte[] former = OpenSshFile.write(old, "boats", RANDOM);
      byte[] secret = OpenSshFile.write(fresh, "boats", RANDOM);
      Files.write(file, former);
      Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
      Unprivileged.own(ssh.home("isla"));
      Place where = new Place.OverSsh(new Login(behind(cable), "isla", keeper), file.toString());
      seats.read(where);
      long start = cable.sent();
      seats.supply(where, fresh.key(), secret, Lease.UNLIMITED);
      long bytes = cable.sent() - start;
      seats.restore(where, old.key(), Lease.UNLIMITED);
      for (int cut = 0; cut < CUTS; cut++) {
        seats.read(where);
        cable.cutAfter(bytes * cut / CUTS);
        try {
          seats.supply(where, fresh.key(), secret, Lease.UNLIMITED);
        } catch (PortException e) {
          assertThat(e.kind()).isIn(Kind.UNREACHABLE, Kind.UNKNOWN_OUTCOME);
        }
        cable.mend();
        assertThat(Files.readAllBytes(file)).as("cut at %d", cut).isIn(former, secret);
        SeatPort.Holding after = seats.supply(where, fresh.key(), secret, Lease.UNLIMITED);
        assertThat(after.offers()).contains(fresh.key().fingerprint());
        assertThat(after.keeps()).as("the way back is there").contains(old.key().fingerprint());
        seats.restore(where, old.key(), Lease.UNLIMITED);
        assertThat(Files.readAllBytes(file)).isEqualTo(former);
      }
    }
  }

  @Test
  void slowIsWaitedForAndDeadIsSaid() throws Exception {
    try (Cable toServer = Cable.to(ssh.port());
        Cable toPeople = Cable.to(people.port())) {
      List<Place> places = List.of(file(toServer), inRepository(toServer), inDirectory(toPeople));
      toServer.slow(20);
      toPeople.slow(20);
      for (Place place : places) {
        AccountPort.Entry entry = entry();
        accounts.place(place, entry, Lease.UNLIMITED);
        accounts.withdraw(place, entry, Lease.UNLIMITED);
      }
      toServer.die();
      toPeople.die();
      List<CompletableFuture<PortException>> all =
          places.stream()
              .map(
                  place ->
                      CompletableFuture.supplyAsync(
                          () -> {
                            try {
                              accounts.read(place);
                              return null;
                            } catch (PortException e) {
                              return e;
                            }
                          }))
              .toList();
      for (int i = 0; i < all.size(); i++) {
        try {
          assertThat(all.get(i).get(90, TimeUnit.SECONDS))
              .satisfies(e -> assertThat(e.kind()).as(e.whole()).isEqualTo(Kind.UNREACHABLE));
        } catch (java.util.concurrent.TimeoutException e) {
          throw new AssertionError(places.get(i).name() + " is waited for without an end", e);
        }
      }
    }
  }

  @Test
  void aRepositoryThatCannotBeWrittenOrShowsAnotherHostKeySaysSo() throws Exception {
    Path objects = ssh.home("git").resolve(LocalRepository.PATH).resolve("objects");
    String before = repository.say("rev-parse", "main");
    try (Cable cable = Cable.to(ssh.port())) {
      InRepository place = inRepository(cable);
      Files.setPosixFilePermissions(objects, PosixFilePermissions.fromString("r-xr-xr-x"));
      try {
        assertThatThrownBy(() -> accounts.place(place, entry(), Lease.UNLIMITED))
            .isInstanceOfSatisfying(
                PortException.class, e -> assertThat(e.whole()).contains("refused the push"));
      } finally {
        Files.setPosixFilePermissions(objects, PosixFilePermissions.fromString("rwxr-xr-x"));
      }
      assertThat(repository.say("rev-parse", "main")).isEqualTo(before);
      Server other =
          new Server("s", "127.0.0.1", cable.port(), List.of(KeyPairMaker.ed25519(RANDOM).key()));
      KeyRepository elsewhere =
          new KeyRepository(
              new Login(other, "git", keeper),
              LocalRepository.PATH,
              "main",
              "keys/{login}.pub",
              "Tolvin <t@skerrymoor.example>",
              Optional.empty());
      assertThatThrownBy(() -> accounts.read(new InRepository(elsewhere, "isla")))
          .isInstanceOfSatisfying(
              PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.HOST_KEY_CHANGED));
    }
  }
}
