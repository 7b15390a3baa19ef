package tolvin.connectors.ssh;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.LinkOption;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Moment;
import tolvin.core.port.Place.OverSsh;
import tolvin.core.port.PortException;
import tolvin.core.port.Server;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/**
 * Users of a server who lead a login of Tolvin's to a file of somebody else's, between its look and
 * its change. Tolvin's login stands for root's here: it may do what the attackers may not.
 */
class PathAttacksTest {
  private static final int ATTACKER = 54321;
  private static final SecureRandom RANDOM = new SecureRandom();

  @TempDir static Path directory;
  private static LocalSshServer sshd;

  private final SshConnections connections =
      new SshConnections(SshConnections.LIMIT.multipliedBy(Ports.PATIENCE));
  private final AuthorizedKeysFiles accounts = new AuthorizedKeysFiles(connections);
  private final SeatFiles seats = new SeatFiles(connections);
  private Login keeper;
  private Path victim;
  private Path homes;

  @BeforeAll
  static void startServer() throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    sshd = LocalSshServer.at(directory.resolve("sshd"), Ports.free()).start();
    sshd.account("keeper");
  }

  @AfterAll
  static void stopServer() {
    sshd.close();
  }

  @BeforeEach
  void victimAndAttacker() throws IOException {
    SecretPair pair = KeyPairMaker.ed25519(RANDOM);
    sshd.authorize("keeper", pair.key().line("keeper"));
    keeper =
        new Login(
            new Server("boats", "127.0.0.1", sshd.port(), List.of(sshd.hostKey())), "keeper", pair);
    homes = Files.createTempDirectory(directory, "homes");
    victim = Files.createDirectories(homes.resolve("root/.ssh")).resolve("authorized_keys");
    Files.writeString(victim, "# root's\n");
    Unprivileged.own(homes);
    Files.setPosixFilePermissions(homes, PosixFilePermissions.fromString("rwxr-xr-x"));
  }

  @Test
  void aDirectoryThatTheUserOwnsIsRefusedWithTheRemedy() throws Exception {
    Path keys = home(ATTACKER).resolve(".ssh/authorized_keys");
    refused(keys, "belongs to user " + ATTACKER, "as the account itself");
    assertThat(Files.list(keys.getParent())).isEmpty();
    assertThatThrownBy(
            () ->
                seats.supply(
                    new OverSsh(keeper, keys.resolveSibling("id").toString()),
                    KeyPairMaker.ed25519(RANDOM).key(),
                    new byte[10],
                    Moment.NOW,
                    Lease.UNLIMITED))
        .isInstanceOf(PortException.class)
        .hasMessageContaining("belongs to user " + ATTACKER);
    assertThatThrownBy(
            () ->
                new KnownHostsFiles(connections)
                    .add(
                        new OverSsh(keeper, keys.resolveSibling("known_hosts").toString()),
                        List.of("boats ssh-ed25519 AAAA"),
                        Lease.UNLIMITED))
        .isInstanceOf(PortException.class)
        .hasMessageContaining("belongs to user " + ATTACKER);
    assertThat(Files.list(keys.getParent())).isEmpty();
  }

  @Test
  void aLinkOfTheUsersLeadsNowhere() throws Exception {
    Path home = home(ATTACKER);
    Files.delete(home.resolve(".ssh"));
    Files.createSymbolicLink(home.resolve(".ssh"), victim.getParent());
    chown(home.resolve(".ssh"), ATTACKER);
    Unprivileged.own(home); // even if the home were the login's own
    Files.setPosixFilePermissions(home, PosixFilePermissions.fromString("rwxr-xr-x"));
    refused(home.resolve(".ssh/authorized_keys"), "belongs to user " + ATTACKER, "itself");
    assertThat(victim).hasContent("# root's");
  }

  @Test
  void whatEverybodyMayWriteIntoIsRefused() throws Exception {
    Path shared = Files.createDirectories(homes.resolve("shared"));
    Unprivileged.own(homes);
    Files.setPosixFilePermissions(shared, PosixFilePermissions.fromString("rwxrwxrwx"));
    refused(shared.resolve("authorized_keys"), "may write into " + shared, "chmod go-w");
    refused(shared.resolve("../root/.ssh/authorized_keys"), "leads upwards", "without it");
    Files.setPosixFilePermissions(shared, PosixFilePermissions.fromString("rwxr-xr-x"));
    assertThat(accounts.place(file(shared.resolve("keys")), entry(), Lease.UNLIMITED)).hasSize(1);
  }

  @Test
  void aLinkOfTheLoginsOwnIsFollowed() throws Exception {
    Path real = Files.createDirectories(homes.resolve("disk/berta"));
    Unprivileged.own(homes);
    Path link = Files.createSymbolicLink(homes.resolve("berta"), real);
    Files.getFileAttributeView(
            link, java.nio.file.attribute.PosixFileAttributeView.class, LinkOption.NOFOLLOW_LINKS)
        .setOwner(Files.getOwner(real));
    assertThat(accounts.place(file(link.resolve("keys")), entry(), Lease.UNLIMITED)).hasSize(1);
    assertThat(real.resolve("keys")).exists();
  }

  /** The attack itself: the directory is a link to root's every other moment. */
  @Test
  void aDirectoryThatIsSwappedAllTheTimeLeadsNowhere() throws Exception {
    Path home = home(ATTACKER);
    Path real = home.resolve(".ssh");
    Path link = Files.createSymbolicLink(home.resolve("link"), victim.getParent());
    chown(link, ATTACKER);
    AtomicBoolean over = new AtomicBoolean();
    Thread swapping =
        new Thread(
            () -> {
              try {
                while (!over.get()) {
                  Files.move(real, home.resolve("aside"), StandardCopyOption.ATOMIC_MOVE);
                  Files.move(link, real, StandardCopyOption.ATOMIC_MOVE);
                  Files.move(real, link, StandardCopyOption.ATOMIC_MOVE);
                  Files.move(home.resolve("aside"), real, StandardCopyOption.ATOMIC_MOVE);
                }
              } catch (IOException e) {
                throw new java.io.UncheckedIOException(e);
              }
            });
    swapping.start();
    int refused = 0;
    long end = System.nanoTime() + TimeUnit.SECONDS.toNanos(3);
    while (System.nanoTime() - end < 0) {
      try {
        accounts.place(file(real.resolve("authorized_keys")), entry(), Lease.UNLIMITED);
      } catch (PortException e) {
        refused++;
      }
    }
    over.set(true);
    swapping.join();
    assertThat(refused).isPositive();
    assertThat(victim).hasContent("# root's");
    assertThat(Files.list(victim.getParent())).containsExactly(victim);
  }

  private void refused(Path keys, String why, String remedy) {
    assertThatThrownBy(() -> accounts.place(file(keys), entry(), Lease.UNLIMITED))
        .isInstanceOfSatisfying(
            PortException.class,
            e -> {
              assertThat(e.getMessage()).contains(why);
              assertThat(e.remedy()).contains(remedy);
            });
  }

  private OverSsh file(Path path) {
    return new OverSsh(keeper, path.toString());
  }

  private static AccountPort.Entry entry() {
    var key = KeyPairMaker.ed25519(RANDOM).key();
    return new AccountPort.Entry(
        key.line("x"),
        key,
        "x",
        Purpose.SIGN_IN,
        Access.WRITE,
        List.of(),
        Optional.empty(),
        Optional.empty());
  }

  /** A home directory whose owner attacks; Tolvin's login may write into it all the same. */
  private Path home(int owner) throws IOException {
    assumeTrue("root".equals(System.getProperty("user.name")), "only root gives files away");
    Path home = Files.createTempDirectory(homes, "attacker");
    Files.createDirectories(home.resolve(".ssh"));
    for (Path path : List.of(home, home.resolve(".ssh"))) {
      Files.setPosixFilePermissions(path, PosixFilePermissions.fromString("rwxrwxrwx"));
      chown(path, owner);
    }
    return home;
  }

  private static void chown(Path path, int owner) throws IOException {
    Files.setAttribute(path, "unix:uid", owner, LinkOption.NOFOLLOW_LINKS);
  }
}
