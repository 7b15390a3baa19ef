package tolvin.bench;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Properties;
import java.util.concurrent.Callable;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import tolvin.connectors.ssh.AuthorizedKeysFiles;
import tolvin.connectors.ssh.SshConnections;
import tolvin.connectors.ssh.Traffic;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.core.port.AccountPort;
import tolvin.core.port.Lease;
import tolvin.core.port.Login;
import tolvin.core.port.Place;
import tolvin.core.port.Server;
import tolvin.core.signin.LoggedLine;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.local.LocalService;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;

/**
 * Sweeps of 1,000 accounts behind ten OpenSSH servers by the whole service, against the bare
 * connections and reads; keys placed in one file and on many; lines of a log.
 */
final class SweepBench {
  private static final int SERVERS = 10;

  /** On each server; a thousand, with {@code -Dsweep.accounts=1000}, make ten thousand in all. */
  private static final int ACCOUNTS = Integer.getInteger("sweep.accounts", 100);

  private static final int KEYS = 1000;
  private static final int LINES = 1_000_000;
  private static final SecureRandom RANDOM = new SecureRandom();

  private SweepBench() {}

  static void run(Path directory, Path root) throws Exception {
    List<LocalSshServer> servers = new ArrayList<>();
    try (SecretPair keeper = KeyPairMaker.ed25519(RANDOM)) {
      for (int i = 0; i < SERVERS; i++) {
        servers.add(server(directory.resolve("server" + i), keeper, ACCOUNTS));
      }
      double bare = bare(servers, keeper);
      System.out.printf(
          "Sweeping %,d accounts behind %d OpenSSH servers:%n  bare connections and reads %.2f s%n",
          SERVERS * ACCOUNTS, SERVERS, bare);
      withService(directory, root, servers, ACCOUNTS, service -> swept(service, bare));
      if (ACCOUNTS <= 100) {
        placing(servers, keeper);
      }
    } finally {
      servers.forEach(LocalSshServer::close);
    }
    log();
  }

  private static LocalSshServer server(Path directory, SecretPair keeper, int accounts)
      throws IOException {
    LocalSshServer server = LocalSshServer.at(directory, Ports.free()).account("keeper");
    server.authorize("keeper", keeper.key().line());
    for (int i = 0; i < accounts; i++) {
      server.account("feed" + i);
      server.authorize("feed" + i, KeyPairMaker.ed25519(RANDOM).key().line("feed " + i));
      server.authorize("feed" + i, KeyPairMaker.ed25519(RANDOM).key().line("spare " + i));
    }
    return server.start();
  }

  private static Login login(LocalSshServer at, SecretPair keeper) {
    return new Login(
        new Server("s", "127.0.0.1", at.port(), List.of(at.hostKey())), "keeper", keeper);
  }

  /** One connection for each server, one read for each account, all servers at once. */
  private static double bare(List<LocalSshServer> servers, SecretPair keeper) throws Exception {
    double best = Double.MAX_VALUE;
    try (SshConnections warmUp = new SshConnections()) {
      for (LocalSshServer server : servers) {
        new AuthorizedKeysFiles(warmUp)
            .read(
                new Place.OverSsh(
                    login(server, keeper), server.authorizedKeys("feed0").toString()));
      }
    }
    for (int round = 0; round < 3; round++) {
      try (SshConnections connections = new SshConnections()) {
        AccountPort accounts = new AuthorizedKeysFiles(connections);
        long start = System.nanoTime();
        atOnce(
            servers,
            server -> {
              for (int i = 0; i < ACCOUNTS; i++) {
                accounts.read(
                    new Place.OverSsh(
                        login(server, keeper), server.authorizedKeys("feed" + i).toString()));
              }
              return null;
            });
        best = Math.min(best, (System.nanoTime() - start) / 1e9);
      }
    }
    return best;
  }

  /** Work on a server. */
  private interface Work {
    Void on(LocalSshServer server) throws Exception;
  }

  private static void atOnce(List<LocalSshServer> servers, Work work) throws Exception {
    ExecutorService pool = Executors.newFixedThreadPool(servers.size());
    try {
      List<Callable<Void>> all = new ArrayList<>();
      servers.forEach(server -> all.add(() -> work.on(server)));
      for (Future<Void> one : pool.invokeAll(all)) {
        one.get();
      }
    } finally {
      pool.shutdownNow();
    }
  }

  /** What is asked of a service that was started for it. */
  private record Started(Api api, LocalPostgres postgres, int port, String token) {}

  private interface Measured {
    void on(Started service) throws Exception;
  }

  /** Starts a service with some servers attached, and measures something there. */
  private static void withService(
      Path directory, Path root, List<LocalSshServer> servers, int accounts, Measured what)
      throws Exception {
    Path data = Files.createDirectories(directory.resolve("service"));
    int port = Ports.free();
    try (LocalPostgres postgres = LocalPostgres.forTests()) {
      ProcessBuilder builder =
          new ProcessBuilder(LocalService.command(root, "-Xmx768m"))
              .redirectErrorStream(true)
              .redirectOutput(directory.resolve("service.log").toFile());
      builder.environment().putAll(LocalService.environment(postgres, data, port));
      builder.environment().put("TOLVIN_SWEEP_WORKERS", "10");
      Process service = builder.start();
      try {
        LocalService.await(service, port);
        Properties signIn = new Properties();
        try (var in = Files.newInputStream(data.resolve("first-sign-in.properties"))) {
          signIn.load(in);
        }
        Api api = new Api("http://127.0.0.1:" + port, signIn);
        for (LocalSshServer server : servers) {
          attach(api, server, accounts);
        }
        if (accounts <= 100) {
          awaitRead(api); // of many, the first sweep is the first look
        }
        what.on(new Started(api, postgres, port, signIn.getProperty("token")));
      } finally {
        service.destroy();
        service.waitFor(30, TimeUnit.SECONDS);
      }
    }
  }

  private static void swept(Started service, double bare) throws Exception {
    forgetModes(service.postgres());
    double first = sweep(service.api());
    double again = Double.MAX_VALUE;
    for (int round = 0; round < 3; round++) {
      again = Math.min(again, sweep(service.api()));
    }
    System.out.printf(
        "  the whole service, with every account asked how it may sign in: %.2f s, %.2f times"
            + " the bare reads%n"
            + "  the whole service, again: %.2f s, %.2f times the bare reads; %s%n",
        first, first / bare, again, again / bare, counts(service.api()));
    if (ACCOUNTS <= 100) {
      takingIn(service.api(), service.port(), service.token());
    }
  }

  /**
   * One key on a hundred accounts behind ten servers: rehearsed, one tried first, then all placed
   * and signed in with. The reference appends a line and signs in with OpenSSH's client, checks
   * nothing, and does forty at a time.
   */
  static void registering(Path directory, Path root) throws Exception {
    int each = 10;
    List<LocalSshServer> servers = new ArrayList<>();
    try (SecretPair keeper = KeyPairMaker.ed25519(RANDOM)) {
      for (int i = 0; i < SERVERS; i++) {
        servers.add(server(directory.resolve("registering" + i), keeper, each));
      }
      double script = script(directory, servers, keeper, each);
      System.out.printf(
          "One key on %d accounts behind %d OpenSSH servers:%n  ssh that appends a line, ssh that"
              + " signs in, forty at a time: %.1f s%n",
          SERVERS * each, SERVERS, script);
      withService(
          directory,
          root,
          servers,
          each,
          service -> registered(service.api(), SERVERS * each, script));
    } finally {
      servers.forEach(LocalSshServer::close);
    }
  }

  private static void registered(Api api, int count, double script) throws Exception {
    String identity =
        api.post(
                "/identities",
                Map.of("name", "feed", "kind", "service-account", "team", "t", "responsible", "p"))
            .path("id")
            .asText();
    String key = api.post("/made-keys", Map.of("identityId", identity)).path("id").asText();
    Map<String, Object> request =
        Map.of(
            "keys", Map.of("named", List.of(key)),
            "accounts", Map.of("search", "feed"),
            "terms", Map.of("title", "bench"),
            "reason", "bench");
    for (String what : List.of("for the first time", "again")) {
      long start = System.nanoTime();
      JsonNode rehearsed = api.send("POST", "/registrations/rehearsal", request).body();
      double rehearsal = (System.nanoTime() - start) / 1e9;
      String id = api.post("/registrations", request).path("id").asText();
      JsonNode now = api.get("/registrations/" + id);
      while (!now.hasNonNull("endedAt")) {
        TimeUnit.MILLISECONDS.sleep(50);
        now = api.get("/registrations/" + id);
      }
      double took = (System.nanoTime() - start) / 1e9;
      System.out.printf(
          "  the whole service, %s: %.1f s, of which %.1f s are its rehearsal of %d; %.2f times"
              + " the commands; %s done, %s there already, %s failed%n",
          what,
          took,
          rehearsal,
          rehearsed.size(),
          took / script,
          now.path("done"),
          now.path("thereAlready"),
          now.path("failed").asInt() + now.path("refused").asInt());
      if (rehearsed.size() != count) {
        throw new IllegalStateException("not all were rehearsed: " + rehearsed.size());
      }
    }
  }

  private static double script(
      Path directory, List<LocalSshServer> servers, SecretPair keeper, int each) throws Exception {
    Path manager =
        Files.write(directory.resolve("keeper-key"), OpenSshFile.write(keeper, "keeper", RANDOM));
    Path own = directory.resolve("own-key");
    LocalSshServer.run(
        List.of("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", own.toString()));
    Files.setPosixFilePermissions(manager, PosixFilePermissions.fromString("rw-------"));
    String line = Files.readString(directory.resolve("own-key.pub")).strip();
    List<Callable<Void>> all = new ArrayList<>();
    for (LocalSshServer server : servers) {
      for (int i = 0; i < each; i++) {
        String login = "feed" + i;
        all.add(
            () -> {
              ssh(
                  server,
                  manager,
                  "keeper",
                  "echo '" + line + "' >> " + server.authorizedKeys(login));
              ssh(server, own, login, "true");
              return null;
            });
      }
    }
    ExecutorService pool = Executors.newFixedThreadPool(4 * SERVERS);
    long start = System.nanoTime();
    try {
      for (Future<Void> one : pool.invokeAll(all)) {
        one.get();
      }
    } finally {
      pool.shutdownNow();
    }
    return (System.nanoTime() - start) / 1e9;
  }

  private static void ssh(LocalSshServer server, Path key, String login, String command)
      throws IOException {
    LocalSshServer.run(
        List.of(
            "ssh",
            "-F",
            "none",
            "-p",
            String.valueOf(server.port()),
            "-i",
            key.toString(),
            "-o",
            "IdentitiesOnly=yes",
            "-o",
            "BatchMode=yes",
            "-o",
            "StrictHostKeyChecking=no",
            "-o",
            "UserKnownHostsFile=/dev/null",
            "-o",
            "LogLevel=ERROR",
            login + "@127.0.0.1",
            command));
  }

  /** Has every account asked again how it may sign in, as if a day had passed. */
  private static void forgetModes(LocalPostgres postgres) throws SQLException {
    try (Connection database =
            DriverManager.getConnection(postgres.jdbcUrl(), postgres.user(), postgres.password());
        Statement statement = database.createStatement()) {
      statement.executeUpdate("update account set mode_seen_at = null");
    }
  }

  /** A log read in by the whole service: sent, read, counted once, kept. */
  private static void takingIn(Api api, int port, String token) throws Exception {
    String at = api.get("/destinations?limit=1").path("items").path(0).path("id").asText();
    List<String> lines = logLines();
    for (String what : List.of("for the first time", "again")) {
      long start = System.nanoTime();
      StringBuilder part = new StringBuilder();
      long counted = 0;
      for (String line : lines) {
        if (LoggedLine.mayTell(line)) {
          part.append(line).append('\n');
        }
        if (part.length() > 8_000_000) {
          counted += send(port, token, at, part);
        }
      }
      counted += send(port, token, at, part);
      double took = (System.nanoTime() - start) / 1e9;
      System.out.printf(
          "Taking in a log by the whole service, %s: %,d lines in %.1f s, %,.0f a second; %,d uses"
              + " counted%n",
          what, LINES, took, LINES / took, counted);
    }
  }

  private static long send(int port, String token, String at, StringBuilder part) throws Exception {
    HttpRequest request =
        HttpRequest.newBuilder(
                URI.create("http://127.0.0.1:" + port + "/api/v1/destinations/" + at + "/uses"))
            .header("Authorization", "Bearer " + token)
            .header("Content-Type", "application/octet-stream")
            .POST(HttpRequest.BodyPublishers.ofString(part.toString()))
            .build();
    HttpResponse<String> answer =
        HttpClient.newHttpClient().send(request, HttpResponse.BodyHandlers.ofString());
    if (answer.statusCode() != 200) {
      throw new IllegalStateException(answer.body());
    }
    part.setLength(0);
    return Long.parseLong(answer.body().replaceAll("(?s).*\"counted\":(\\d+).*", "$1"));
  }

  private static void attach(Api api, LocalSshServer server, int accounts) throws IOException {
    JsonNode at =
        api.post(
            "/destinations",
            Map.of(
                "name",
                "server-" + server.port(),
                "family",
                "sftp-server",
                "host",
                "127.0.0.1",
                "port",
                server.port(),
                "hostKeys",
                List.of(server.hostKey().line()),
                "managementLogin",
                "keeper",
                "keysPath",
                server.directory() + "/home/{login}/.ssh/authorized_keys",
                "readsPerSecond",
                1000));
    server.authorize("keeper", at.path("tolvinKey").asText());
    for (int i = 0; i < accounts; i++) {
      api.post(
          "/destinations/" + at.path("id").asText() + "/accounts", Map.of("login", "feed" + i));
    }
  }

  /** The first look that every new account gets is not part of the measurement. */
  private static void awaitRead(Api api) throws Exception {
    Ports.await(
        "every account was read once",
        Duration.ofMinutes(5),
        () -> {
          try {
            String after = "";
            do {
              JsonNode page = api.get("/accounts?limit=500" + after);
              for (JsonNode account : page.path("items")) {
                if (!account.hasNonNull("readAt")) {
                  return false;
                }
              }
              after = page.hasNonNull("next") ? "&after=" + page.path("next").asText() : "";
            } while (!after.isEmpty());
            return true;
          } catch (IOException e) {
            return false;
          }
        });
  }

  private static double sweep(Api api) throws Exception {
    String id = api.post("/sweeps", Map.of()).path("id").asText();
    JsonNode sweep;
    do {
      TimeUnit.MILLISECONDS.sleep(50);
      sweep = api.get("/sweeps/" + id);
    } while (sweep.path("state").asText().equals("running"));
    if (sweep.path("startedBy").asText().equals("Tolvin")) {
      return sweep(api); // the one that starts by itself had begun before all were attached
    }
    if (sweep.path("read").asInt() != SERVERS * ACCOUNTS) {
      throw new IllegalStateException("not every account was read: " + sweep);
    }
    return Duration.between(
                Instant.parse(sweep.path("startedAt").asText()),
                Instant.parse(sweep.path("endedAt").asText()))
            .toMillis()
        / 1000.0;
  }

  private static String counts(Api api) throws IOException {
    long findings = 0;
    for (JsonNode group : api.get("/findings/groups")) {
      findings += group.path("count").asLong();
    }
    return String.format("%,d keys compared, %,d findings", SERVERS * ACCOUNTS * 2, findings);
  }

  private static void placing(List<LocalSshServer> servers, SecretPair keeper) throws Exception {
    try (SshConnections connections = new SshConnections()) {
      AccountPort accounts = new AuthorizedKeysFiles(connections);
      LocalSshServer one = servers.get(0);
      Place file = new Place.OverSsh(login(one, keeper), one.authorizedKeys("feed0").toString());
      long start = System.nanoTime();
      for (int i = 0; i < KEYS; i++) {
        accounts.place(file, entry("in one file " + i), Lease.UNLIMITED);
      }
      report("one key after the other into one account's file", start, connections);
      start = System.nanoTime();
      atOnce(
          servers,
          server -> {
            for (int i = 0; i < ACCOUNTS; i++) {
              accounts.place(
                  new Place.OverSsh(
                      login(server, keeper), server.authorizedKeys("feed" + i).toString()),
                  entry("on many"),
                  Lease.UNLIMITED);
            }
            return null;
          });
      report("a key on each of " + SERVERS * ACCOUNTS + " accounts", start, connections);
    }
  }

  private static void report(String what, long start, SshConnections connections) {
    double took = (System.nanoTime() - start) / 1e9;
    Traffic.Counts counts = connections.traffic();
    System.out.printf(
        "Placing %,d keys, %s: %.1f s, %.0f a second; so far %d connections, %,d reads, %,d"
            + " writes%n",
        KEYS, what, took, KEYS / took, counts.connections(), counts.reads(), counts.writes());
  }

  private static AccountPort.Entry entry(String title) {
    var key = KeyPairMaker.ed25519(RANDOM).key();
    return new AccountPort.Entry(
        key.line(title),
        key,
        title,
        Purpose.SIGN_IN,
        Access.WRITE,
        List.of(),
        java.util.Optional.empty(),
        java.util.Optional.empty());
  }

  /** A log of which every third line is a sign-in, against merely looking for the word in it. */
  private static List<String> logLines() {
    String print = KeyPairMaker.ed25519(RANDOM).key().fingerprintText();
    List<String> lines = new ArrayList<>(LINES);
    Instant now = Instant.now();
    for (int i = 0; i < LINES; i++) {
      String head = now.minusSeconds(LINES - i) + " quay sshd[" + (i % 60000) + "]: ";
      lines.add(
          i % 3 == 0
              ? head
                  + "Accepted publickey for feed"
                  + i % 500
                  + " from 10.0.0.7 port "
                  + (1024 + i % 60000)
                  + " ssh2: ED25519 "
                  + print
              : head + "Connection from 10.0.0.7 port " + (1024 + i % 60000));
    }
    return lines;
  }

  private static void log() {
    List<String> lines = logLines();
    Instant now = Instant.now();
    for (int round = 0; round < 3; round++) {
      long start = System.nanoTime();
      long mere = lines.stream().filter(l -> l.contains("Accepted publickey")).count();
      double looked = (System.nanoTime() - start) / 1e9;
      start = System.nanoTime();
      long read = lines.stream().flatMap(l -> LoggedLine.read(l, now).stream()).count();
      double took = (System.nanoTime() - start) / 1e9;
      if (round == 2) {
        System.out.printf(
            "Reading a log: %,.0f lines a second (%,d lines, %,d sign-ins), %.1f times as long as"
                + " looking for a word (%,d found)%n",
            LINES / took, LINES, read, took / looked, mere);
      }
    }
  }
}
