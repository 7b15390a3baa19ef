package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static org.hamcrest.Matchers.containsString;
import static org.hamcrest.Matchers.equalTo;
import static org.hamcrest.Matchers.hasItem;
import static org.hamcrest.Matchers.hasSize;
import static org.hamcrest.Matchers.notNullValue;
import static org.hamcrest.Matchers.nullValue;
import static tolvin.service.Caller.api;

import io.quarkus.test.common.QuarkusTestResource;
import io.quarkus.test.junit.QuarkusTest;
import java.io.IOException;
import java.net.Socket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.KeyFactory;
import java.security.KeyStore;
import java.security.SecureRandom;
import java.security.cert.Certificate;
import java.security.cert.CertificateFactory;
import java.security.spec.PKCS8EncodedKeySpec;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import javax.net.ssl.KeyManagerFactory;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManagerFactory;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import tolvin.core.key.PublicKey;
import tolvin.core.pair.KeyPairMaker;
import tolvin.standins.local.Ports;

/** Uses from logs: read in, sent by syslog, rotated, replayed and made up. */
@QuarkusTest
@QuarkusTestResource(PostgresForTests.class)
class UsesTest {
  private static final Instant NOW = Instant.now().truncatedTo(ChronoUnit.SECONDS);
  private final String key = key().fingerprintText();
  private String name;
  private String destination;

  private static PublicKey key() {
    return KeyPairMaker.ed25519(new SecureRandom()).key();
  }

  @BeforeEach
  void attach() {
    attach("quay-" + UUID.randomUUID() + ".uses.example");
  }

  private void attach(String as) {
    name = as;
    destination =
        SweepTest.attach(
            Map.of(
                "name",
                name,
                "family",
                "sftp-server",
                "port",
                9,
                "hostKeys",
                List.of(key().line())));
    SweepTest.account(destination, "fuel", Map.of());
  }

  private String line(Instant at, int port, String user) {
    return at
        + " "
        + name
        + " sshd["
        + port
        + "]: Accepted publickey for "
        + user
        + " from 10.1.2.3 port "
        + port
        + " ssh2: ED25519 "
        + key;
  }

  private io.restassured.response.ValidatableResponse read(String log) {
    return Caller.readUses(destination, log);
  }

  @Test
  void rotatedAndReplayedLogsCountOnceAndMadeUpLinesNever() {
    StringBuilder log = new StringBuilder();
    for (int i = 0; i < 1000; i++) {
      log.append(line(NOW.minusSeconds(7200 - i), 20000 + i, i % 2 == 0 ? "fuel" : "ghost"))
          .append(i % 3 == 0 ? "\r\n" : "\n");
    }
    String deceit =
        NOW
            + " h sshd[9]: Failed publickey for invalid user "
            + line(NOW, 1, "fuel")
            + "\nAccepted publickey for fuel from 10.1.2.3 port 7 ssh2: ED25519 "
            + key
            + "\n"
            + NOW.minus(Duration.ofDays(500))
            + line(NOW, 3, "fuel").substring(NOW.toString().length())
            + "\n\u0000\u0001binary rubbish\n";
    read(log + deceit)
        .body("counted", equalTo(1000))
        .body("unknownAccounts", equalTo(500))
        .body("timeless", equalTo(1))
        .body("tooOld", equalTo(1));
    read(log.toString()).body("counted", equalTo(0)).body("again", equalTo(1000));
    api()
        .contentType("application/octet-stream")
        .queryParam("zone", "Europe/Nowhere")
        .body("x".getBytes())
        .post("/api/v1/destinations/" + destination + "/uses")
        .then()
        .statusCode(422)
        .body("remedy", containsString("Europe/Oslo"));
    read(log.substring(log.length() / 2) + line(NOW, 5, "fuel")).body("counted", equalTo(1));
    api()
        .get("/api/v1/destinations/" + destination + "/uses")
        .then()
        .body("items.account", hasItem("ghost"))
        .body("items.find { it.account == 'fuel' }.count", equalTo(501))
        .body("items.find { it.account == 'fuel' }.address", equalTo("10.1.2.3"))
        .body("items.find { it.account == 'fuel' }.lastAt", equalTo(NOW.toString()));
  }

  /** Whoever may knock at a server's door can fill its log with names. */
  @Test
  void aLogFullOfMadeUpNamesIsTakenIn() {
    StringBuilder log = new StringBuilder();
    for (int i = 0; i < 70_000; i++) {
      log.append(NOW)
          .append(" h sshd[9]: Failed publickey for invalid user n")
          .append(i)
          .append(" from 10.9.9.9 port 7 ssh2: ED25519 ")
          .append(key)
          .append('\n');
    }
    read(log + line(NOW.minusSeconds(9), 6, "fuel")).body("counted", equalTo(1));
  }

  /** Before anybody takes a key away they read who else used it. */
  @Test
  void whatBreaksWithoutAKeyCountsUsesOffTheRecord() {
    PublicKey used = key();
    String id =
        api()
            .body(Map.of("text", used.line(), "identityId", Caller.addIdentity()))
            .post("/api/v1/keys")
            .path("id");
    String account = api().get("/api/v1/accounts?destination=" + destination).path("items[0].id");
    api()
        .body(Map.of("keyId", id, "accountId", account, "title", "fuel"))
        .post("/api/v1/placements")
        .then()
        .statusCode(200);
    String without = "/api/v1/keys/" + id + "/dependences";
    api().get(without).then().body("$", hasSize(0));
    String longAgo = line(NOW.minus(Duration.ofDays(91)), 1, "fuel");
    read(longAgo.replace(key, used.fingerprintText())).body("counted", equalTo(1));
    api().get(without).then().body("$", hasSize(0));
    read(line(NOW, 2, "fuel").replace(key, used.fingerprintText())).body("counted", equalTo(1));
    api()
        .get(without)
        .then()
        .body("$", hasSize(1))
        .body("[0].tie", nullValue())
        .body("[0].account", equalTo("fuel@" + name))
        .body("[0].address", equalTo("10.1.2.3"))
        .body("[0].usedAt", equalTo(NOW.toString()))
        .body("[0].breaks", equalTo(true));
  }

  /** Log lines tell how long connections last, how long silences are, and who goes on. */
  @Test
  void howASeatBehavesIsSeen() {
    Instant start = NOW.minus(Duration.ofHours(10));
    String other = "SHA256:" + "o".repeat(43);
    String head = " " + name + " sshd[1]: ";
    String log =
        line(start, 501, "fuel")
            + "\n"
            + line(start.plusSeconds(5), 502, "fuel")
            + "\n"
            + start.plusSeconds(65)
            + head
            + "Disconnected from user fuel 10.1.2.3 port 502\n"
            + start.plusSeconds(66)
            + head
            + "Disconnected from user fuel 10.1.2.3 port 999\n"
            + start.plusSeconds(900)
            + head
            + "Failed publickey for fuel from 10.1.2.3 port 503"
            + " ssh2: ED25519 "
            + other
            + "\n"
            + line(start.plusSeconds(905), 503, "fuel")
            + "\n";
    read(log).body("counted", equalTo(3));
    // the end of the first one comes much later, in another part of the log; replays change nothing
    String later =
        start.plusSeconds(7205) + head + "Connection closed by user fuel 10.1.2.3 port 501\n";
    read(later).body("counted", equalTo(0));
    read(log + later).body("counted", equalTo(0));
    String account = api().get("/api/v1/accounts?destination=" + destination).path("items[0].id");
    String host = SweepTest.attach(Map.of("family", "sftp-server", "port", 9));
    String integration =
        api()
            .body(Map.of("name", name, "owner", "Shore", "environment", "production"))
            .post("/api/v1/integrations")
            .path("id");
    String seat =
        api()
            .body(Map.of("hostId", host, "login", "x", "path", "/k", "address", "10.1.2.3"))
            .post("/api/v1/integrations/" + integration + "/seats")
            .path("id");
    String tie =
        api()
            .body(Map.of("accountId", account, "expectedInterval", "PT1M"))
            .post("/api/v1/seats/" + seat + "/ties")
            .path("id");
    api()
        .body(Map.of("expectedInterval", "PT2H", "longestSession", "PT1H"))
        .patch("/api/v1/ties/" + tie)
        .then()
        .statusCode(200)
        .body("expectedInterval", equalTo("PT2H"))
        .body("intervalSeen", equalTo("PT15M"))
        .body("longestSession", equalTo("PT1H"))
        .body("longestSessionSeen", equalTo("PT2H5S"));
    api()
        .body(Map.of("expectedInterval", "often"))
        .patch("/api/v1/ties/" + tie)
        .then()
        .statusCode(422);
    api()
        .body(Map.of("fallsBack", false))
        .patch("/api/v1/seats/" + seat)
        .then()
        .statusCode(200)
        .body("fallsBack", equalTo(false))
        .body("fallsBackSeenAt", notNullValue());
    api()
        .body(Map.of("takesEffect", "restart"))
        .patch("/api/v1/seats/" + seat)
        .then()
        .statusCode(422)
        .body("remedy", containsString("together with the command"));
  }

  @Test
  void serversSendTheirLinesByTcpAndTls() throws Exception {
    try (Socket plain = new Socket("127.0.0.1", PostgresForTests.syslog)) {
      send(plain, 1);
    }
    awaitCount(3);
    sendByTls("sender", 2);
    awaitCount(6);
    assertThat(refused()).as("a sender without a certificate").isTrue();
  }

  @Test
  void aSenderSpeaksForTheHostsOfItsCertificateAndARelayForAll() throws Exception {
    sendByTls("sender", 1);
    awaitCount(3);
    attach("quay-" + UUID.randomUUID() + ".elsewhere.example");
    sendByTls("sender", 1);
    sendByTls("relay", 2);
    awaitCount(3);
    api()
        .get("/api/v1/destinations/" + destination + "/uses")
        .then()
        .body("items[0].firstAt", equalTo(at(21).toString())) // all three are the relay's
        .body("items[0].lastAt", equalTo(at(23).toString()));
  }

  /** Lines that come while others are taken in are not left lying until the next ones. */
  @Test
  void aConnectionThatStaysOpenIsReadToItsLastLine() throws Exception {
    try (Socket plain = new Socket("127.0.0.1", PostgresForTests.syslog)) {
      for (int i = 1; i <= 60; i++) {
        plain.getOutputStream().write((message(i) + "\n").getBytes());
        plain.getOutputStream().flush();
        Thread.sleep(10); // so that some of them fall into each of several takings-in
      }
      awaitCount(60);
    }
  }

  private void sendByTls(String sender, int round) throws Exception {
    try (Socket tls =
        context(sender).getSocketFactory().createSocket("127.0.0.1", PostgresForTests.syslogTls)) {
      send(tls, round);
    }
  }

  /** Three messages: two counted by length, cut in the middle of one, and one ended by a line. */
  private void send(Socket socket, int round) throws IOException, InterruptedException {
    var out = socket.getOutputStream();
    String one = message(round * 10 + 1);
    String two = message(round * 10 + 2);
    byte[] all = (one.length() + " " + one + two.length() + " " + two).getBytes();
    out.write(all, 0, one.length() + 10);
    out.flush();
    Thread.sleep(50); // the cut falls between two packets
    out.write(all, one.length() + 10, all.length - one.length() - 10);
    out.write((message(round * 10 + 3) + "\n").getBytes());
    out.flush();
    socket.shutdownOutput();
  }

  private static Instant at(int port) {
    return NOW.minusSeconds(100 - port);
  }

  private String message(int port) {
    return "<38>1 "
        + at(port)
        + " "
        + name
        + " sshd "
        + port
        + " - - Accepted publickey for fuel from 10.1.2.3 port "
        + port
        + " ssh2: ED25519 "
        + key;
  }

  private void awaitCount(int count) throws Exception {
    Ports.await(
        count + " uses",
        Duration.ofSeconds(20),
        () ->
            Integer.valueOf(count)
                .equals(
                    api()
                        .get("/api/v1/destinations/" + destination + "/uses")
                        .path("items[0].count")));
  }

  private boolean refused() {
    try (Socket tls =
        context(null).getSocketFactory().createSocket("127.0.0.1", PostgresForTests.syslogTls)) {
      send(tls, 3);
      return tls.getInputStream().read() < 0;
    } catch (IOException closed) {
      return true;
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }

  private static SSLContext context(String sender) throws Exception {
    Path at = PostgresForTests.certificates;
    CertificateFactory x509 = CertificateFactory.getInstance("X.509");
    KeyStore store = KeyStore.getInstance("PKCS12");
    store.load(null, null);
    try (var in = Files.newInputStream(at.resolve("ca.pem"))) {
      store.setCertificateEntry("ca", x509.generateCertificate(in));
    }
    TrustManagerFactory trust =
        TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
    trust.init(store);
    KeyManagerFactory keys = KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
    if (sender != null) {
      String pem =
          Files.readString(at.resolve(sender + ".key")).replaceAll("-----[^-]+-----|\\s", "");
      Certificate shown;
      try (var in = Files.newInputStream(at.resolve(sender + ".pem"))) {
        shown = x509.generateCertificate(in);
      }
      store.setKeyEntry(
          "sender",
          KeyFactory.getInstance("EC")
              .generatePrivate(new PKCS8EncodedKeySpec(Base64.getDecoder().decode(pem))),
          new char[0],
          new Certificate[] {shown});
    }
    keys.init(sender != null ? store : null, new char[0]);
    SSLContext context = SSLContext.getInstance("TLS");
    context.init(sender != null ? keys.getKeyManagers() : null, trust.getTrustManagers(), null);
    return context;
  }
}
