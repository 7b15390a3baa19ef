package tolvin.e2e;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.io.IOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.SocketTimeoutException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.cert.X509Certificate;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Properties;
import java.util.concurrent.TimeUnit;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import javax.net.SocketFactory;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalAuthority;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.Ports;

/** The service over HTTPS, behind a proxy, and where it refuses to listen. */
class TransportTest {
  private static final Path ROOT = Path.of(System.getProperty("tolvin.root"));
  private static final String SIGN_IN = "{\"login\":\"admin\",\"password\":\"four words of iron\"}";

  private static final Pattern SEALED =
      Pattern.compile("tolvin.seals .*journal sealed (\\d+:[0-9a-f]{64})");
  private static final String QUICK = "GET /q/health/live HTTP/1.1\r\nHost: x\r\n\r\n";
  private static final String SLOW = "GET /q/health/live HTTP/1.1\r\nHost: x\r\nX: ";

  @TempDir private static Path directory;
  private static LocalPostgres postgres;

  @BeforeAll
  static void start() throws IOException {
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    postgres = LocalPostgres.start(directory.resolve("postgres"), Ports.free());
  }

  @AfterAll
  static void stop() throws IOException {
    postgres.close();
  }

  private static Path data() throws IOException {
    return Files.createDirectories(directory.resolve("service"));
  }

  /** The service with more of an environment, on the same data each time. */
  private static Process service(Path log, int port, Map<String, String> more) throws IOException {
    ProcessBuilder builder =
        new ProcessBuilder(LocalService.command(ROOT, "-Xmx256m", "-XX:TieredStopAtLevel=1"))
            .redirectErrorStream(true)
            .redirectOutput(log.toFile());
    builder.environment().putAll(LocalService.environment(postgres, data(), port));
    builder.environment().put("TOLVIN_ADMIN_PASSWORD", "four words of iron");
    builder.environment().putAll(more);
    Process process = builder.start();
    Runtime.getRuntime().addShutdownHook(new Thread(process::destroyForcibly));
    return process;
  }

  private static void end(Process process) throws InterruptedException {
    process.destroy();
    if (!process.waitFor(30, TimeUnit.SECONDS)) {
      process.destroyForcibly();
    }
  }

  private static HttpResponse<String> signIn(HttpClient client, String url, String... headers)
      throws Exception {
    HttpRequest.Builder request =
        HttpRequest.newBuilder(URI.create(url + "/api/v1/session"))
            .header("Content-Type", "application/json")
            .POST(HttpRequest.BodyPublishers.ofString(SIGN_IN));
    if (headers.length > 0) {
      request.headers(headers);
    }
    return client.send(request.build(), HttpResponse.BodyHandlers.ofString());
  }

  private static String cookie(HttpResponse<String> answer) {
    return answer.headers().firstValue("set-cookie").orElse("");
  }

  @Test
  void httpsIsSpokenAndNothingElseAndTheCertificateIsExchanged() throws Exception {
    Path log = directory.resolve("log-of-tls");
    LocalAuthority authority =
        LocalAuthority.in(Files.createDirectories(directory.resolve("authority")))
            .certify("service")
            .certify("renewed");
    Path certificate = directory.resolve("certificate.pem");
    Path key = directory.resolve("key.pem");
    Files.copy(authority.certificate("service"), certificate);
    Files.copy(authority.key("service"), key);
    int port = Ports.free();
    Process service =
        service(
            log,
            port,
            Map.of(
                "TOLVIN_TLS_CERTIFICATE",
                certificate.toString(),
                "TOLVIN_TLS_KEY",
                key.toString(),
                "QUARKUS_HTTP_SSL_CERTIFICATE_RELOAD_PERIOD",
                "30S",
                "QUARKUS_HTTP_IDLE_TIMEOUT",
                "600S"));
    try {
      LocalService.await(service, port);
      assertThat(service.isAlive()).as(Files.readString(log)).isTrue();
      String url = "https://127.0.0.1:" + port;
      HttpClient believing = HttpClient.newBuilder().sslContext(authority.believing()).build();
      HttpResponse<String> in = signIn(believing, url);
      assertThat(in.statusCode()).isEqualTo(200);
      assertThat(cookie(in))
          .startsWith("__Host-tolvin_session=")
          .containsIgnoringCase("Secure")
          .containsIgnoringCase("Path=/")
          .doesNotContainIgnoringCase("Domain");
      assertThat(in.headers().firstValue("strict-transport-security")).isPresent();
      assertThatThrownBy(() -> signIn(HttpClient.newHttpClient(), url))
          .isInstanceOf(IOException.class);
      assertThatThrownBy(() -> signIn(HttpClient.newHttpClient(), "http://127.0.0.1:" + port))
          .isInstanceOf(IOException.class);

      Properties first = new Properties();
      try (var read = Files.newInputStream(data().resolve("first-sign-in.properties"))) {
        first.load(read);
      }
      Api api = new Api(url, first, Optional.of(authority));
      assertThat(
              api.post("/users", Map.of("login", "tormod", "name", "T", "role", "administrator"))
                  .path("link")
                  .asText())
          .startsWith(url + "/join#");
      Map<String, String> client = new HashMap<>();
      client.put("TOLVIN_URL", url);
      client.put("TOLVIN_TOKEN", first.getProperty("token"));
      assertThat(tolvin(client, "user", "list")).contains("could not be asked");
      client.put("TOLVIN_AUTHORITY", authority.trusted().toString());
      assertThat(tolvin(client, "user", "list")).contains("tormod", "invited");

      List<Socket> slow = new ArrayList<>();
      for (int i = 0; i < 20; i++) {
        slow.add(connected(SocketFactory.getDefault(), port, "\u0016\u0003\u0001\u0002"));
        slow.add(connected(authority.believing().getSocketFactory(), port, SLOW));
      }
      trickle(slow, connected(authority.believing().getSocketFactory(), port, QUICK));

      final String before = serial(believing, url);
      Files.copy(authority.key("renewed"), key, StandardCopyOption.REPLACE_EXISTING);
      Files.copy(
          authority.certificate("renewed"), certificate, StandardCopyOption.REPLACE_EXISTING);
      Ports.await(
          "the renewed certificate is shown",
          Duration.ofSeconds(90),
          () -> {
            try {
              HttpClient anew = HttpClient.newBuilder().sslContext(authority.believing()).build();
              return !serial(anew, url).equals(before);
            } catch (Exception notNow) {
              return false;
            }
          });
    } finally {
      end(service);
    }
  }

  private static String serial(HttpClient client, String url) throws Exception {
    HttpResponse<Void> answer =
        client.send(
            HttpRequest.newBuilder(URI.create(url + "/q/health/live")).build(),
            HttpResponse.BodyHandlers.discarding());
    X509Certificate shown =
        (X509Certificate) answer.sslSession().orElseThrow().getPeerCertificates()[0];
    return shown.getSerialNumber().toString();
  }

  private static String tolvin(Map<String, String> environment, String... arguments)
      throws Exception {
    Path out = Files.createTempFile(directory, "out", "");
    List<String> command = new ArrayList<>(List.of("./tolvin"));
    command.addAll(List.of(arguments));
    ProcessBuilder builder =
        new ProcessBuilder(command)
            .directory(ROOT.toFile())
            .redirectErrorStream(true)
            .redirectOutput(out.toFile());
    builder.environment().putAll(environment);
    assertThat(builder.start().waitFor(60, TimeUnit.SECONDS)).isTrue();
    return Files.readString(out);
  }

  /** Somebody outside has each seal, and notices a journal that was not continued from it. */
  @Test
  void sealsAreSentToAReceiverThatHoldsAnExportAgainstThem() throws Exception {
    int port = Ports.free();
    try (ServerSocket receiver = new ServerSocket(0, 5, InetAddress.getLoopbackAddress())) {
      receiver.setSoTimeout((int) Duration.ofSeconds(60).multipliedBy(Ports.PATIENCE).toMillis());
      Process service =
          service(
              directory.resolve("log-of-seals"),
              port,
              Map.of("TOLVIN_SEALS_TO", "tcp://127.0.0.1:" + receiver.getLocalPort()));
      LocalService.await(service, port);
      String url = "http://127.0.0.1:" + port;
      assertThat(signIn(HttpClient.newHttpClient(), url).statusCode()).isEqualTo(200);
      try (Socket sender = receiver.accept()) {
        sender.setSoTimeout(receiver.getSoTimeout());
        Matcher sealed = SEALED.matcher("");
        StringBuilder said = new StringBuilder(); // frames with their lengths, RFC 6587
        while (!sealed.reset(said).find()) {
          int one = sender.getInputStream().read();
          assertThat(one).as(said.toString()).isNotNegative();
          said.append((char) one);
        }
        final String checkPoint = sealed.group(1);
        Properties first = new Properties();
        try (var read = Files.newInputStream(data().resolve("first-sign-in.properties"))) {
          first.load(read);
        }
        Map<String, String> client =
            Map.of("TOLVIN_URL", url, "TOLVIN_TOKEN", first.getProperty("token"));
        String export = directory.resolve("journal.jsonl").toString();
        tolvin(client, "journal", "export", export);
        assertThat(tolvin(client, "journal", "verify", export, "--from", checkPoint))
            .contains("Holds          true");
        String other = checkPoint.substring(0, checkPoint.length() - 1);
        other += checkPoint.endsWith("0") ? "1" : "0";
        assertThat(tolvin(client, "journal", "verify", export, "--from", other))
            .contains("is not what was sealed");
      } finally {
        end(service);
      }
    }
  }

  /** What a proxy says of the caller counts only when it is one that is trusted. */
  @ParameterizedTest
  @CsvSource({"127.0.0.1, true", "10.9.8.7, false"})
  void onlyATrustedProxyTellsWhereACallerComesFrom(String trusted, boolean isBelieved)
      throws Exception {
    Path log = directory.resolve("log-behind-" + trusted);
    int port = Ports.free();
    Process service =
        service(
            log,
            port,
            Map.of("TOLVIN_TRUSTED_PROXIES", trusted, "QUARKUS_HTTP_IDLE_TIMEOUT", "600S"));
    try {
      LocalService.await(service, port);
      HttpResponse<String> in =
          signIn(
              HttpClient.newHttpClient(),
              "http://127.0.0.1:" + port,
              "X-Forwarded-For",
              "203.0.113.9",
              "X-Forwarded-Proto",
              "https");
      assertThat(in.statusCode()).as(Files.readString(log)).isEqualTo(200);
      assertThat(cookie(in).startsWith("__Host-")).isEqualTo(isBelieved);
      List<Socket> slow = new ArrayList<>();
      for (int i = 0; i < 60; i++) {
        slow.add(connected(SocketFactory.getDefault(), port, SLOW));
      }
      trickle(slow, connected(SocketFactory.getDefault(), port, QUICK));
      assertThat(Files.readString(log)).doesNotContain("Exception");
    } finally {
      end(service);
    }
  }

  private static Socket connected(SocketFactory factory, int port, String text) throws IOException {
    Socket socket = factory.createSocket("127.0.0.1", port);
    send(socket, text);
    return socket;
  }

  private static boolean send(Socket socket, String text) {
    try {
      socket.getOutputStream().write(text.getBytes(StandardCharsets.ISO_8859_1));
      return true;
    } catch (IOException ended) {
      return false;
    }
  }

  /**
   * Sends a byte of their headers again and again, until each is ended. One that asks whole
   * questions meanwhile is not.
   */
  private static void trickle(List<Socket> slow, Socket quick) throws IOException {
    try {
      Ports.await(
          "connections whose headers trickle in are ended",
          Duration.ofSeconds(60),
          () -> {
            slow.removeIf(socket -> !send(socket, "x") || isEnded(socket));
            assertThat(send(quick, QUICK) && !isEnded(quick)).isTrue();
            return slow.isEmpty();
          });
    } finally {
      quick.close();
      for (Socket socket : slow) {
        socket.close();
      }
    }
  }

  private static boolean isEnded(Socket socket) {
    try {
      socket.setSoTimeout(2);
      while (socket.getInputStream().read() >= 0) {
        continue; // what was answered
      }
      return true;
    } catch (SocketTimeoutException open) {
      return false;
    } catch (IOException closed) {
      return true;
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "QUARKUS_HTTP_HOST=0.0.0.0 | does not listen on 0.0.0.0 without TLS",
        "TOLVIN_TLS_CERTIFICATE=/etc/hostname | TLS needs both",
        "TOLVIN_TLS_CERTIFICATE=/none TOLVIN_TLS_KEY=/none | cannot be read",
        "TOLVIN_EGRESS=everywhere | is no network to connect to",
        "TOLVIN_SEALS_TO=somewhere | is no receiver of syslog"
      })
  void itDoesNotStartWhereItWouldBeOpen(String environment, String says) throws Exception {
    Map<String, String> more = new HashMap<>();
    for (String part : environment.strip().split(" ")) {
      more.put(part.split("=")[0], part.split("=")[1]);
    }
    Path log = Files.createTempFile(directory, "log", "");
    Process service = service(log, Ports.free(), more);
    try {
      assertThat(service.waitFor(120, TimeUnit.SECONDS)).isTrue();
      assertThat(service.exitValue()).isNotZero();
      assertThat(Files.readString(log)).contains(says).doesNotContain("\tat ");
    } finally {
      service.destroyForcibly();
    }
  }
}
