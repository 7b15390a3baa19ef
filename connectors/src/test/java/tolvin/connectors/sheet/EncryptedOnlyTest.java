package tolvin.connectors.sheet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.sql.DriverManager;
import java.time.Clock;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.connectors.http.AssertionTrials;
import tolvin.connectors.shared.Egress;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.port.Connection;
import tolvin.core.port.Login;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.port.Server;
import tolvin.core.port.TrialPort;
import tolvin.core.sheet.SheetText;
import tolvin.core.sheet.SystemSheet;
import tolvin.standins.local.LocalAuthority;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/** Secrets go to who has shown who they are, and to nobody without encryption. */
class EncryptedOnlyTest {
  private static final Duration PATIENCE = Duration.ofSeconds(10);

  @TempDir static Path directory;

  /** A server that takes no encryption learns neither user nor password. */
  @Test
  void aDatabaseWithoutEncryptionIsToldNothing() throws Exception {
    LocalAuthority authority = LocalAuthority.in(Files.createDirectories(directory.resolve("a")));
    try (ServerSocket stub = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      CompletableFuture<byte[]> heard = CompletableFuture.supplyAsync(() -> refuseTls(stub));
      Connection to = connection(stub.getLocalPort(), Files.readString(authority.trusted()));
      assertThatThrownBy(() -> SqlTalk.open(to, PATIENCE, Egress.ANYWHERE))
          .isInstanceOf(PortException.class);
      assertThat(heard.get(30, TimeUnit.SECONDS))
          .as("the request for encryption, and nothing behind it")
          .hasSize(8);
    }
  }

  private static byte[] refuseTls(ServerSocket stub) {
    try (Socket client = stub.accept()) {
      ByteArrayOutputStream heard = new ByteArrayOutputStream();
      heard.write(client.getInputStream().readNBytes(8));
      client.getOutputStream().write('N');
      client.setSoTimeout(5000);
      heard.write(client.getInputStream().readAllBytes());
      return heard.toByteArray();
    } catch (IOException e) {
      return new byte[0];
    }
  }

  @Test
  void aDatabaseIsConnectedToOnlyWithACertificateOfTheAuthority() throws Exception {
    Files.setPosixFilePermissions(
        directory, java.nio.file.attribute.PosixFilePermissions.fromString("rwxr-xr-x"));
    LocalAuthority ours =
        LocalAuthority.in(Files.createDirectories(directory.resolve("ours")))
            .certify("database", "IP:127.0.0.1");
    LocalAuthority others = LocalAuthority.in(Files.createDirectories(directory.resolve("others")));
    try (LocalPostgres postgres = LocalPostgres.start(directory.resolve("db"), Ports.free())) {
      Path home = Files.createDirectories(directory.resolve("tls"));
      Files.copy(ours.certificate("database"), home.resolve("cert.pem"));
      Files.copy(ours.key("database"), home.resolve("key.pem"));
      Files.setPosixFilePermissions(
          home.resolve("key.pem"),
          java.nio.file.attribute.PosixFilePermissions.fromString("rw-------"));
      Unprivileged.own(home);
      try (var database =
              DriverManager.getConnection(
                  postgres.jdbcUrl(), postgres.user(), postgres.password());
          var statement = database.createStatement()) {
        for (String setting :
            List.of(
                "ssl_cert_file = '" + home.resolve("cert.pem") + "'",
                "ssl_key_file = '" + home.resolve("key.pem") + "'",
                "ssl = on")) {
          statement.execute("alter system set " + setting);
        }
        statement.execute("select pg_reload_conf()");
      }
      int port = Integer.parseInt(postgres.jdbcUrl().replaceAll(".*:(\\d+)/.*", "$1"));
      String database = postgres.jdbcUrl().replaceAll(".*/", "");
      Connection right = connection(port, database, postgres, Files.readString(ours.trusted()));
      Ports.await(
          "the database has read its settings",
          Duration.ofSeconds(30),
          () -> {
            try (SqlTalk talk = SqlTalk.open(right, PATIENCE, Egress.ANYWHERE)) {
              return true;
            } catch (PortException notYet) {
              return false;
            }
          });
      assertThatThrownBy(
              () ->
                  SqlTalk.open(
                      connection(port, database, postgres, Files.readString(others.trusted())),
                      PATIENCE,
                      Egress.ANYWHERE))
          .isInstanceOf(PortException.class)
          .hasMessageContaining("cannot be reached");
    }
  }

  @ParameterizedTest
  @ValueSource(strings = {"http://198.51.100.7/token", "http://wharf.invalid/token", "no address"})
  void anAssertionIsNotSentWithoutEncryption(String endpoint) {
    Login login =
        new Login(
            new Server("lake", "", 0, List.of()),
            "loader",
            KeyPairMaker.ed25519(new SecureRandom()));
    assertThatThrownBy(
            () ->
                new AssertionTrials(Clock.systemUTC())
                    .attempt(
                        new TrialPort.Attempt(
                            TrialPort.Way.ASSERTION, login, endpoint, java.util.Optional.empty())))
        .isInstanceOfSatisfying(
            PortException.class, e -> assertThat(e.kind()).isEqualTo(Kind.NOT_ALLOWED));
  }

  private static Connection connection(int port, String trusted) throws IOException {
    return new Connection(
        "lake",
        sheet(),
        "jdbc:postgresql://127.0.0.1:" + port + "/lake",
        Map.of("trusted-certificate", trusted),
        "keeper",
        "a password that nobody may hear");
  }

  private static Connection connection(
      int port, String database, LocalPostgres postgres, String trusted) throws IOException {
    return new Connection(
        "lake",
        sheet(),
        "jdbc:postgresql://127.0.0.1:" + port + "/" + database,
        Map.of("trusted-certificate", trusted),
        postgres.user(),
        postgres.password());
  }

  private static SystemSheet sheet() throws IOException {
    Path file = Path.of(System.getProperty("tolvin.root"), "sheets", "lazarette.yaml");
    return SheetText.read(Files.readString(file, StandardCharsets.UTF_8)).sheet().orElseThrow();
  }
}
