package tolvin.connectors.sheet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.catchThrowableOfType;

import com.sun.net.httpserver.HttpsConfigurator;
import com.sun.net.httpserver.HttpsParameters;
import com.sun.net.httpserver.HttpsServer;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.util.Map;
import java.util.Set;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import tolvin.connectors.shared.Certificates;
import tolvin.connectors.shared.Egress;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.port.AccountPort.Entry;
import tolvin.core.port.Connection;
import tolvin.core.port.Lease;
import tolvin.core.port.Place.OnSystem;
import tolvin.core.port.PortException;
import tolvin.core.port.PortException.Kind;
import tolvin.core.sheet.SheetText;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.http.Weather.Fault;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.Ports;
import tolvin.standins.warehouse.Warehouse;

/** Bad weather between Tolvin and a system that a sheet describes. */
class WeatherTest {
  private static final String SECRET = "t0ken-that-nobody-may-see";
  private static CodeHost host;
  private final SheetAccounts accounts =
      new SheetAccounts(
          new Steps(Clock.systemUTC(), Egress.ANYWHERE).within(Duration.ofSeconds(2)));
  private final PublicKey foreign = key();
  private static int round;
  private String login;

  private static PublicKey key() {
    return KeyPairMaker.ed25519(new SecureRandom()).key();
  }

  @BeforeAll
  static void start(@TempDir Path directory) throws Exception {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    host = CodeHost.start(directory, 0, Ports.free(), CodeHost.Shape.PLAIN, SECRET);
  }

  @BeforeEach
  void freshAccount() throws Exception {
    login = "tormod" + round++;
    host.weather().any();
    host.person(login).outside("person:" + login, "somebody's own", foreign.line());
  }

  @AfterAll
  static void stop() {
    host.close();
  }

  private static Connection connection(String address, String secret) {
    return Sheets.connection(
        Sheets.read("pierhead.yaml"), address, Map.of("git-door", "127.0.0.1:1"), "", secret);
  }

  private OnSystem account() {
    return Sheets.account(connection(host.url(), SECRET), "person", login);
  }

  private static Entry entry(PublicKey key, String title) {
    return Sheets.entry(key, title, Purpose.SIGN_IN, Access.WRITE);
  }

  private static PortException failure(
      org.assertj.core.api.ThrowableAssert.ThrowingCallable action) {
    PortException e = catchThrowableOfType(PortException.class, action);
    assertThat(e).isNotNull();
    assertThat(e.whole()).doesNotContain(SECRET);
    assertThat(e.remedy()).isNotBlank();
    return e;
  }

  /** What passes by itself. */
  @ParameterizedTest
  @CsvSource({"BUSY", "BUSY_UNTOLD", "DOWN", "ERROR_AFTER", "CUT_AFTER"})
  void itIsDoneOnceAllTheSame(Fault fault) throws Exception {
    Entry entry = entry(key(), "laptop");
    host.weather().writes(fault);
    accounts.place(account(), entry, Lease.UNLIMITED);
    assertThat(host.lines("person:" + login)).containsExactly(foreign.line(), entry.key().line());
    host.weather().writes(fault);
    accounts.withdraw(account(), entry, Lease.UNLIMITED);
    assertThat(host.lines("person:" + login)).containsExactly(foreign.line());
  }

  /** What does not: it says what was tried, where, what came back, and nothing was changed. */
  @ParameterizedTest
  @CsvSource({
    "CUT, UNKNOWN_OUTCOME, never answered POST",
    "SLOW, UNKNOWN_OUTCOME, never answered POST",
    "ERROR, UNKNOWN_OUTCOME, with 500",
    "BUSY_FOR_LONG, UNREACHABLE, slow-down",
    "HTML, UNEXPECTED, Please sign in",
    "REDIRECT, NOT_ALLOWED, sending on to another address",
    "PRETEND, CHANGED_MEANWHILE, does not stand there",
    "UNKNOWN_SECRET, SIGN_IN_REFUSED, secret-refused",
  })
  void itIsRefusedWithAReason(Fault fault, Kind kind, String said) throws Exception {
    Entry entry = entry(key(), "laptop");
    host.weather().writes(fault);
    PortException e = failure(() -> accounts.place(account(), entry, Lease.UNLIMITED));
    assertThat(e.kind()).isEqualTo(kind);
    assertThat(e.getMessage()).contains(said);
    assertThat(host.lines("person:" + login)).containsExactly(foreign.line());
    accounts.place(account(), entry, Lease.UNLIMITED);
  }

  @ParameterizedTest
  @CsvSource({
    "HUGE, too much",
    "HTML, not JSON",
    "REDIRECT, another address",
    "CUT_IN_THE_ANSWER;CUT_IN_THE_ANSWER;CUT_IN_THE_ANSWER, cannot be reached",
    "CUT;CUT;CUT;CUT;CUT;CUT;CUT;CUT, cannot be reached",
    "ERROR;ERROR;ERROR, with 500",
  })
  void aReadingThatFailsSaysWhy(String faults, String said) {
    host.weather().any(Stream.of(faults.split(";")).map(Fault::valueOf).toArray(Fault[]::new));
    assertThat(failure(() -> accounts.read(account())).getMessage()).contains(said);
  }

  @Test
  void aReadingThatFailsOnceIsRepeated() throws Exception {
    for (Fault fault : Set.of(Fault.CUT, Fault.ERROR, Fault.BUSY, Fault.DOWN)) {
      host.weather().any(fault);
      assertThat(accounts.read(account())).as(fault.name()).hasSize(1);
    }
  }

  @Test
  void nobodyThereAndNobodyKnown() throws Exception {
    OnSystem nowhere =
        Sheets.account(connection("http://127.0.0.1:" + Ports.free(), SECRET), "person", login);
    assertThat(failure(() -> accounts.read(nowhere)).kind()).isEqualTo(Kind.UNREACHABLE);
    OnSystem stranger =
        Sheets.account(connection(host.url(), "another-long-secret"), "person", login);
    assertThat(failure(() -> accounts.read(stranger)).kind()).isEqualTo(Kind.SIGN_IN_REFUSED);
    OnSystem missing =
        Sheets.account(connection(host.url(), SECRET), "person", "nobody-of-that-name");
    assertThat(failure(() -> accounts.read(missing)).getMessage()).contains("gone");
    assertThat(
            failure(
                    () ->
                        accounts.read(
                            Sheets.account(
                                connection("http://192.0.2.1/api", SECRET), "person", login)))
                .getMessage())
        .contains("without encryption");
  }

  @Test
  void whatTheSystemRefusesIsSaid() throws Exception {
    String other = login + "-other";
    host.person(other);
    PublicKey taken = key();
    host.outside("person:" + other, "another's", taken.line());
    assertThat(
            failure(() -> accounts.place(account(), entry(taken, "x"), Lease.UNLIMITED))
                .getMessage())
        .contains("taken");
    assertThat(
            failure(
                    () ->
                        accounts.place(account(), entry(key(), "somebody's own"), Lease.UNLIMITED))
                .getMessage())
        .contains("title-taken");
    host.allow(Set.of("ssh-rsa"));
    try {
      assertThat(
              failure(() -> accounts.place(account(), entry(key(), "x"), Lease.UNLIMITED))
                  .getMessage())
          .contains("not-accepted");
    } finally {
      host.allow(Set.of("ssh-rsa", "ssh-ed25519"));
    }
    java.security.KeyPairGenerator rsa = java.security.KeyPairGenerator.getInstance("RSA");
    rsa.initialize(2048);
    PublicKey small =
        tolvin.core.form.DerKeys.readSpki(rsa.generateKeyPair().getPublic().getEncoded());
    assertThat(
            failure(() -> accounts.place(account(), entry(small, "x"), Lease.UNLIMITED))
                .getMessage())
        .contains("3072");
    host.atMostInASecond(3);
    try {
      for (int i = 0; i < 6; i++) {
        assertThat(accounts.read(account())).hasSize(1);
      }
    } finally {
      host.atMostInASecond(Integer.MAX_VALUE);
    }
  }

  /** Whatever an account is called, no request leaves the place it belongs to. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "..",
        ".",
        "../../token",
        "%2e%2e",
        "a/../../b",
        "x?page=2",
        "x#y",
        "//127.0.0.2/",
        "x@127.0.0.2",
        "\\..\\",
        "x\r\nHost: evil"
      })
  void anAccountsNameLeadsNowhereElse(String name) {
    PortException e =
        failure(
            () -> accounts.read(Sheets.account(connection(host.url(), SECRET), "person", name)));
    assertThat(e.getMessage()).containsAnyOf("would have left", "(gone)");
  }

  @Test
  void aSystemThatGivesTheNextPageElsewhereIsNotFollowed() throws Exception {
    String text =
        """
        sheet: 1
        system: Liar
        family: code_host
        speaks: http
        accounts:
          person:
            can: {slots: 5, types: [ssh-ed25519], form: two-fields}
            list:
              requests: [{get: "/page"}]
              each: /keys
              key: {at: /key}
              pages: {next: /next}
            place: {requests: [{post: /page}]}
            withdraw: {requests: [{delete: /page}]}
        """;
    for (String next :
        Set.of("http://127.0.0.2/page", "//127.0.0.2/", "/../admin", "/base/%2e%2e/x")) {
      try (var liar =
          tolvin.standins.http.HttpDoor.open(
              0,
              r ->
                  tolvin.standins.http.Reply.of(
                      200, Map.of("keys", java.util.List.of(), "next", next)))) {
        Connection connection =
            Sheets.connection(
                SheetText.read(text).sheet().orElseThrow(),
                liar.url() + "/base",
                Map.of(),
                "",
                SECRET);
        assertThat(
                failure(() -> accounts.read(Sheets.account(connection, "person", "x")))
                    .getMessage())
            .as(next)
            .contains("would have left");
      }
    }
  }

  /** Nothing breaks out of a statement. */
  @Test
  void namesStayNamesInStatements() throws Exception {
    try (LocalPostgres postgres = LocalPostgres.forTests();
        Warehouse warehouse =
            Warehouse.start(postgres, 0, Warehouse.Shape.ROLES, SECRET, Clock.systemUTC())) {
      warehouse.account("innocent", "key");
      Entry entry = Sheets.entry(key(), "", Purpose.SIGN_IN, Access.WRITE);
      for (String name :
          Set.of(
              "innocent\" set lake.verification_key_1 = 'x'; drop table warehouse.departure; --",
              "innocent'; drop table warehouse.departure; --",
              "innocent\\",
              "innocent\u0000",
              "nobody")) {
        OnSystem account =
            Sheets.account(
                Sheets.connection(
                    Sheets.read("lazarette-roles.yaml"),
                    warehouse.jdbcUrl(),
                    Map.of(),
                    Warehouse.KEEPER,
                    SECRET),
                "role",
                name);
        failure(() -> accounts.place(account, entry, Lease.UNLIMITED));
      }
      assertThat(warehouse.rows("select * from warehouse.departure")).hasSize(3);
      assertThat(warehouse.rows("select * from pg_db_role_setting")).isEmpty();
      for (String address :
          Set.of(
              warehouse.jdbcUrl() + "?socketFactory=x",
              "jdbc:h2:mem:x",
              warehouse.jdbcUrl().replace("lake", "lake;x"))) {
        OnSystem account =
            Sheets.account(
                Sheets.connection(
                    Sheets.read("lazarette.yaml"), address, Map.of(), Warehouse.KEEPER, SECRET),
                "login",
                "innocent");
        assertThat(failure(() -> accounts.read(account)).kind()).isEqualTo(Kind.NOT_ALLOWED);
      }
      OnSystem wrong =
          Sheets.account(
              Sheets.connection(
                  Sheets.read("lazarette.yaml"),
                  warehouse.jdbcUrl(),
                  Map.of(),
                  Warehouse.KEEPER,
                  "wrong-password"),
              "login",
              "innocent");
      assertThat(failure(() -> accounts.read(wrong)).kind()).isEqualTo(Kind.SIGN_IN_REFUSED);
      warehouse.change("alter role key_keeper valid until '2020-01-01'");
      OnSystem expired =
          Sheets.account(
              Sheets.connection(
                  Sheets.read("lazarette.yaml"),
                  warehouse.jdbcUrl(),
                  Map.of(),
                  Warehouse.KEEPER,
                  SECRET),
              "login",
              "innocent");
      assertThat(failure(() -> accounts.read(expired)).kind()).isEqualTo(Kind.SIGN_IN_REFUSED);
    }
  }

  /** Somebody fills the slot between Tolvin's look and its statement. */
  @Test
  void aSlotThatSomebodyTakesMeanwhileIsTheirs() throws Exception {
    try (LocalPostgres postgres = LocalPostgres.forTests();
        Warehouse warehouse =
            Warehouse.start(postgres, 0, Warehouse.Shape.TABLE, SECRET, Clock.systemUTC())) {
      warehouse.account("loader", "key");
      OnSystem account =
          Sheets.account(
              Sheets.connection(
                  Sheets.read("lazarette.yaml"),
                  warehouse.jdbcUrl(),
                  Map.of(),
                  Warehouse.KEEPER,
                  SECRET),
              "login",
              "loader");
      String theirs =
          java.util.Base64.getEncoder().encodeToString(tolvin.core.form.DerKeys.writeSpki(foreign));
      Lease meanwhile =
          () -> {
            try {
              warehouse.change(
                  "update warehouse.login set key_1 = ? where name = 'loader'", theirs);
            } catch (java.sql.SQLException e) {
              throw new IllegalStateException(e);
            }
          };
      PortException e =
          failure(
              () ->
                  accounts.place(
                      account, Sheets.entry(key(), "", Purpose.SIGN_IN, Access.WRITE), meanwhile));
      assertThat(e.kind()).isEqualTo(Kind.CHANGED_MEANWHILE);
      assertThat(warehouse.rows("select key_1, key_2 from warehouse.login").get(0))
          .containsEntry("key_1", theirs)
          .containsEntry("key_2", null);
    }
  }

  /** A client certificate is shown where the sheet says so, and only a believed server is asked. */
  @Test
  void aCertificateIsShown() throws Exception {
    TestCertificates made = TestCertificates.make();
    HttpsServer server =
        HttpsServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.setHttpsConfigurator(
        new HttpsConfigurator(Certificates.context(made.serverPem(), made.clientCertificate())) {
          @Override
          public void configure(HttpsParameters parameters) {
            var wanted = getSSLContext().getDefaultSSLParameters();
            wanted.setNeedClientAuth(true);
            parameters.setSSLParameters(wanted);
          }
        });
    server.createContext(
        "/",
        exchange -> {
          byte[] body = "{\"keys\":[]}".getBytes();
          exchange.sendResponseHeaders(200, body.length);
          exchange.getResponseBody().write(body);
          exchange.close();
        });
    server.start();
    try {
      String text =
          Files.readString(Path.of(System.getProperty("tolvin.root"), "sheets/pierhead.yaml"))
              .replace("with: token", "with: certificate");
      String address = "https://localhost:" + server.getAddress().getPort();
      for (boolean believed : new boolean[] {true, false}) {
        for (String shown : new String[] {made.clientPem(), made.serverPem()}) {
          Connection connection =
              Sheets.connection(
                  SheetText.read(text).sheet().orElseThrow(),
                  address,
                  believed ? Map.of("trusted-certificate", made.serverCertificate()) : Map.of(),
                  "",
                  shown);
          OnSystem account = Sheets.account(connection, "person", "isla");
          if (believed && shown.equals(made.clientPem())) {
            assertThat(accounts.read(account)).isEmpty();
          } else {
            assertThat(failure(() -> accounts.read(account)).kind()).isEqualTo(Kind.UNREACHABLE);
          }
        }
      }
    } finally {
      server.stop(0);
    }
  }
}
