package tolvin.service;

import static org.assertj.core.api.Assertions.assertThat;
import static tolvin.service.Caller.api;

import io.quarkus.test.junit.QuarkusTestProfile;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import tolvin.core.pair.KeyPairMaker;
import tolvin.core.pair.OpenSshFile;
import tolvin.core.pair.SecretPair;
import tolvin.standins.local.LocalKeysServer;
import tolvin.standins.local.LocalProftpd;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.StalledRenames;
import tolvin.standins.local.Unprivileged;

/**
 * Real OpenSSH servers, whose disks can be made to stall, a host with the private files of clients,
 * and these clients, who sign in with the machine's own ssh. What takes a lease in the product
 * takes some seconds here.
 */
final class RealClients {
  static final SecureRandom RANDOM = new SecureRandom();
  static final Duration LONG = Duration.ofSeconds(120);
  private static final Map<Integer, String> DESTINATIONS = new ConcurrentHashMap<>();

  static StalledRenames stall;
  static LocalSshServer sftp;
  static LocalSshServer apps;
  static LocalSshServer elsewhere;
  static Path drills;

  private RealClients() {}

  /** A short lease, and a directory for failure drills. */
  public static final class ShortLease implements QuarkusTestProfile {
    @Override
    public Map<String, String> getConfigOverrides() {
      try {
        drills = Files.createTempDirectory("tolvin-drills");
      } catch (IOException e) {
        throw new java.io.UncheckedIOException(e);
      }
      return Map.of(
          "tolvin.runner.lease",
          "PT10S",
          "tolvin.seat.look-every",
          "PT2S",
          "tolvin.drill",
          drills.toString());
    }
  }

  /** Starts the servers, once for all tests of a process. */
  static synchronized void start() throws Exception {
    if (stall != null) {
      return;
    }
    Path directory = Files.createTempDirectory("tolvin-clients");
    Files.setPosixFilePermissions(directory, PosixFilePermissions.fromString("rwxr-xr-x"));
    stall = StalledRenames.in(directory);
    sftp = LocalSshServer.at(directory.resolve("sftp"), Ports.free());
    apps = LocalSshServer.at(directory.resolve("apps"), Ports.free());
    elsewhere = LocalSshServer.at(directory.resolve("elsewhere"), Ports.free());
    for (LocalSshServer server : List.of(sftp, apps, elsewhere)) {
      server.preload(stall.library()).account("keeper").start();
    }
    Runtime.getRuntime().addShutdownHook(new Thread(() -> stop(directory)));
  }

  private static void stop(Path directory) {
    try {
      stall.release();
      for (LocalSshServer server : List.of(sftp, apps, elsewhere)) {
        server.close();
      }
      try (var all = Files.walk(directory)) {
        all.sorted(java.util.Comparator.reverseOrder()).forEach(path -> path.toFile().delete());
      }
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** The destination of a server, attached when it is first asked for. */
  static synchronized String at(LocalKeysServer server) {
    if (!DESTINATIONS.containsKey(server.port())) {
      DESTINATIONS.put(server.port(), attach(server));
    }
    return DESTINATIONS.get(server.port());
  }

  private static String attach(LocalKeysServer server) {
    Map<String, Object> request = new HashMap<>();
    request.put("family", "sftp-server");
    request.put("port", server.port());
    request.put("hostKeys", List.of(server.hostKey().line()));
    request.put("logPath", server.log().toString());
    if (server != apps) {
      request.put("managementLogin", "keeper");
      request.put("keysPath", server.authorizedKeys("{login}").toString());
    }
    String id = SweepTest.attach(request);
    try {
      server.authorize("keeper", tolvinKey(id));
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
    return id;
  }

  static String tolvinKey(String destination) {
    return api().get("/api/v1/destinations/" + destination).path("tolvinKey");
  }

  /**
   * A client with its private file on the application host, and the account it signs in to.
   *
   * @param fetches the login and repository that it fetches from with git; empty if it signs in
   *     only
   */
  record Client(
      LocalKeysServer server,
      String login,
      String fetches,
      Path seat,
      String key,
      String account,
      String seatId) {

    static Client of(LocalKeysServer server, String login) throws Exception {
      server.account(login);
      return of(server, login, at(server), "");
    }

    /** One whose account is on another destination than the server that it signs in at. */
    static Client of(LocalKeysServer server, String login, String at, String fetches)
        throws Exception {
      apps.account(login);
      apps.authorize(login, tolvinKey(at(apps)));
      Path seat = apps.home(login).resolve("id_client");
      try (SecretPair pair = KeyPairMaker.ed25519(RANDOM)) {
        write(seat, pair);
        Unprivileged.own(apps.home(login));
        String account = SweepTest.account(at, login, Map.of("holds", 5));
        String key =
            api()
                .body(
                    Map.of(
                        "text", pair.key().line(),
                        "identityId", Caller.addIdentity(),
                        "custody", "machine"))
                .post("/api/v1/keys")
                .path("id");
        Caller.place(Map.of("keyId", key, "accountId", account, "title", login), "placed");
        String integration =
            api()
                .body(
                    Map.of(
                        "name",
                        login + " job",
                        "owner",
                        "yard",
                        "importance",
                        "normal",
                        "environment",
                        "test"))
                .post("/api/v1/integrations")
                .path("id");
        String id =
            api()
                .body(
                    Map.of(
                        "hostId",
                        at(apps),
                        "login",
                        login,
                        "path",
                        seat.toString(),
                        "address",
                        "127.0.0.1"))
                .post("/api/v1/integrations/" + integration + "/seats")
                .path("id");
        api()
            .body(
                Map.of("accountId", account, "expectedInterval", "PT1S", "longestSession", "PT1S"))
            .post("/api/v1/seats/" + id + "/ties")
            .then()
            .statusCode(200);
        return new Client(server, login, fetches, seat, key, account, id);
      }
    }

    /** Signs in with the machine's own client; what it said if it was refused. */
    String signIn() {
      return signInWith(seat);
    }

    /** Likewise with another private file. */
    String signInWith(Path file) {
      try {
        Process process =
            new ProcessBuilder(Unprivileged.command(command(file)))
                .redirectErrorStream(true)
                .start();
        String said = new String(process.getInputStream().readAllBytes());
        return process.waitFor(60, TimeUnit.SECONDS) && process.exitValue() == 0 ? "" : said + "!";
      } catch (IOException e) {
        throw new java.io.UncheckedIOException(e);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        return "interrupted";
      }
    }

    private List<String> command(Path file) {
      boolean hasShell = !(server instanceof LocalProftpd);
      List<String> command = new ArrayList<>(List.of(hasShell ? "ssh" : "sftp", "-F", "none"));
      for (String option :
          List.of(
              "Port=" + server.port(),
              "IdentityFile=" + file,
              "IdentityFile=" + file + ".before",
              "IdentitiesOnly=yes",
              "IdentityAgent=none",
              "BatchMode=yes",
              "StrictHostKeyChecking=no",
              "UserKnownHostsFile=/dev/null",
              "LogLevel=ERROR")) {
        command.addAll(List.of("-o", option));
      }
      if (!fetches.isEmpty()) {
        String ssh = "core.sshCommand=" + String.join(" ", command);
        return List.of("git", "-c", ssh, "ls-remote", "ssh://" + fetches);
      }
      command.addAll(
          hasShell
              ? List.of("-n", login + "@127.0.0.1", "true")
              : List.of("-b", "/dev/null", login + "@127.0.0.1"));
      return command;
    }

    List<String> lines() throws IOException {
      return Files.readAllLines(server.authorizedKeys(login));
    }

    /** The files with private keys beside the one that it signs in with. */
    List<String> beside() {
      try (var all = Files.list(seat.getParent())) {
        return all.map(p -> p.getFileName().toString())
            .filter(n -> n.startsWith("id_client.") && !n.equals("id_client.pub"))
            .toList();
      } catch (IOException e) {
        throw new java.io.UncheckedIOException(e);
      }
    }
  }

  static void write(Path path, SecretPair pair) throws IOException {
    Files.write(path, OpenSshFile.write(pair, "client", RANDOM));
    Files.setPosixFilePermissions(path, PosixFilePermissions.fromString("rw-------"));
  }

  static String plan(String key, String watch) {
    String id =
        api()
            .body(Map.of("keyId", key, "watch", watch, "reason", "test"))
            .post("/api/v1/rotations")
            .then()
            .statusCode(200)
            .extract()
            .path("rotation.id");
    return "/api/v1/rotations/" + id;
  }

  /** Runs a rotation right after it was planned. */
  static String run(String key, String watch) {
    String at = plan(key, watch);
    api().body(Map.of()).post(at + "/run").then().statusCode(200);
    return at;
  }

  static void await(String rotation, String field, String value, Client client) {
    Ports.await(
        field + " is " + value,
        LONG,
        () -> {
          if (client != null) {
            assertThat(client.signIn()).isEmpty();
          }
          return value.equals(api().get(rotation).path("rotation." + field));
        });
  }

  static long count(String statement) {
    try {
      return PostgresForTests.postgres.count(statement);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  static String newKey(String rotation) {
    return api().get(rotation).path("rotation.newKeyId");
  }
}
