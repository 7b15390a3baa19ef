package tolvin.connectors.sheet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import org.assertj.core.api.ThrowableAssert.ThrowingCallable;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tolvin.connectors.directory.DirectoryAccounts;
import tolvin.connectors.directory.DirectoryServer;
import tolvin.connectors.directory.InDirectory;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.shared.Egress;
import tolvin.connectors.ssh.HostKeyLooks;
import tolvin.connectors.ssh.SshConnections;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;

/** Nothing outside of the configured networks is connected to. */
class EgressTest {
  private static final int CASES = 4000;

  /** Every way to connect, to a port of this machine that counts who comes. */
  @Test
  void noConnectorLeavesTheNetworks() throws Exception {
    try (ServerSocket door = new ServerSocket(0, 50, InetAddress.getLoopbackAddress());
        SshConnections connections = new SshConnections(Duration.ofSeconds(5), Egress.USUAL);
        DirectoryAccounts directories = new DirectoryAccounts(Egress.USUAL)) {
      int port = door.getLocalPort();
      String host = "localhost";
      String address = "http://" + host + ":" + port;
      Login loader =
          new Login(
              new Server("lake", host, port, List.of()),
              "loader",
              KeyPairMaker.ed25519(new SecureRandom()));
      DirectoryServer people =
          new DirectoryServer(
              "people",
              host,
              port,
              DirectoryServer.Security.LDAPS,
              "",
              "cn=keeper",
              "secret",
              "ou=people",
              "(uid={login})",
              "sshPublicKey",
              "");
      Steps steps = new Steps(Clock.systemUTC(), Egress.USUAL);
      List<ThrowingCallable> ways =
          List.of(
              () -> new HostKeyLooks(connections).look(host, port, Optional.empty()),
              () -> new HostKeyLooks(connections).look("127.1", port, Optional.empty()),
              () -> new HostKeyLooks(connections).look("2130706433", port, Optional.empty()),
              () -> new HostKeyLooks(connections).look("::ffff:127.0.0.1", port, Optional.empty()),
              () ->
                  new AssertionTrials(Clock.systemUTC(), Egress.USUAL)
                      .attempt(
                          new TrialPort.Attempt(
                              TrialPort.Way.ASSERTION, loader, address, Optional.empty())),
              () -> directories.read(new InDirectory(people, "isla")),
              () ->
                  SqlTalk.open(
                      Sheets.connection(
                          Sheets.read("lazarette.yaml"),
                          "jdbc:postgresql://" + host + ":" + port + "/lake",
                          Map.of(),
                          "keeper",
                          "secret"),
                      Duration.ofSeconds(5),
                      Egress.USUAL),
              () ->
                  new SheetAccounts(steps)
                      .read(
                          Sheets.account(
                              Sheets.connection(
                                  Sheets.read("pierhead.yaml"),
                                  address,
                                  Map.of(),
                                  "keeper",
                                  "secret"),
                              "person",
                              "isla")));
      for (ThrowingCallable way : ways) {
        assertThatThrownBy(way)
            .isInstanceOfSatisfying(
                PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.NOT_ALLOWED))
            .hasMessageContaining("outside of the networks");
      }
      door.setSoTimeout(200);
      assertThatThrownBy(door::accept).isInstanceOf(java.net.SocketTimeoutException.class);
    }
  }

  /** Random networks and addresses, held against Python's own reckoning of them. */
  @Test
  void networksAreReckonedAsElsewhere(@TempDir Path directory) throws Exception {
    Random random = new Random(15);
    List<String> cases = new ArrayList<>();
    List<Boolean> ours = new ArrayList<>();
    for (int i = 0; i < CASES; i++) {
      boolean six = random.nextBoolean();
      byte[] network = new byte[six ? 16 : 4];
      random.nextBytes(network);
      int bits = random.nextInt(network.length * 8 + 1);
      byte[] address = network.clone();
      for (int flips = random.nextInt(3); flips > 0; flips--) {
        int bit = random.nextInt(address.length * 8);
        address[bit / 8] ^= (byte) (0x80 >> bit % 8);
      }
      String net = InetAddress.getByAddress(network).getHostAddress();
      String host = InetAddress.getByAddress(address).getHostAddress();
      cases.add(net + "/" + bits + " " + host);
      ours.add(allows((six ? "[" + net + "]" : net) + "/" + bits, host));
    }
    for (String special :
        List.of(
            "127.0.0.1",
            "127.255.3.4",
            "169.254.169.254",
            "0.0.0.0",
            "0.1.2.3",
            "224.0.0.1",
            "239.9.9.9",
            "10.0.0.1",
            "192.168.1.1",
            "172.16.0.9",
            "8.8.4.4",
            "::1",
            "::",
            "fe80::1",
            "ff02::1",
            "fd00:ec2::254",
            "fd00:ec3::1",
            "2001:db8::1",
            "::ffff:127.0.0.1",
            "::ffff:169.254.169.254",
            "::ffff:10.0.0.1")) {
      cases.add("usual " + special);
      ours.add(allows("usual", special));
    }
    String script =
        """
        import ipaddress, sys
        for line in sys.stdin:
            net, host = line.split()
            a = ipaddress.ip_address(host)
            if a.version == 6 and a.ipv4_mapped:
                a = a.ipv4_mapped
            if net == "usual":
                bad = (a.is_loopback or a.is_link_local or a.is_multicast or a.is_unspecified
                       or a in ipaddress.ip_network("0.0.0.0/8")
                       or a in ipaddress.ip_network("fd00:ec2::/32"))
                print(not bad)
            else:
                print(a in ipaddress.ip_network(net, strict=False))
        """;
    Path given = Files.write(directory.resolve("cases"), cases, StandardCharsets.UTF_8);
    Path said = directory.resolve("said");
    Process python =
        new ProcessBuilder("/usr/bin/python3", "-c", script)
            .redirectInput(given.toFile())
            .redirectOutput(said.toFile())
            .redirectError(ProcessBuilder.Redirect.INHERIT)
            .start();
    assertThat(python.waitFor(60, TimeUnit.SECONDS)).isTrue();
    List<String> theirs = Files.readAllLines(said);
    assertThat(theirs).hasSameSizeAs(cases);
    List<String> differ = new ArrayList<>();
    for (int i = 0; i < cases.size(); i++) {
      if (ours.get(i) != theirs.get(i).equals("True")) {
        differ.add(cases.get(i));
      }
    }
    assertThat(differ).isEmpty();
    assertThat(ours).contains(true, false);
  }

  private static boolean allows(String networks, String host) throws IOException {
    try {
      Egress.only(networks).of(host, 22);
      return true;
    } catch (PortException outside) {
      return false;
    }
  }

  @Test
  void portsAreHeldToAsWell() throws Exception {
    Egress egress = Egress.only("10.0.0.0/8:22,443 [2001:db8::]/32:22 192.0.2.7");
    assertThat(egress.of("10.1.2.3", 443).isUnresolved()).isFalse();
    assertThat(egress.of("192.0.2.7", 9999).isUnresolved()).isFalse();
    for (Object[] not :
        new Object[][] {{"10.1.2.3", 80}, {"2001:db8::1", 443}, {"192.0.2.8", 22}}) {
      assertThatThrownBy(() -> egress.of((String) not[0], (int) not[1]))
          .isInstanceOf(PortException.class);
    }
    for (String wrong : List.of("10.0.0.0/33", "10.0.0.1:0", "host.example", "2001:db8::/32", "")) {
      assertThatThrownBy(() -> Egress.only(wrong))
          .isInstanceOf(IllegalArgumentException.class)
          .hasMessageContaining("no network to connect to");
    }
  }
}
