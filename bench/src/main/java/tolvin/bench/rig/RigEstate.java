package tolvin.bench.rig;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tolvin.standins.demo.Api;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.StalledRenames;
import tolvin.standins.local.Unprivileged;

/** The servers, accounts, private files and clients of the rig. */
final class RigEstate implements AutoCloseable {
  private static final ObjectMapper JSON = new ObjectMapper();
  private static final String KEEPER = "keeper";

  /**
   * One client: its private file on a host, and the account that it signs in to.
   *
   * @param second whether it has its former key file as a second one
   */
  record Pair(
      int number,
      String login,
      LocalSshServer server,
      LocalSshServer host,
      Path seat,
      String address,
      boolean second) {
    Path keys() {
      return server.authorizedKeys(login);
    }

    String identity() {
      return "rig-" + login;
    }
  }

  final Path directory;
  final List<LocalSshServer> servers = new ArrayList<>();
  final List<LocalSshServer> hosts = new ArrayList<>();
  final List<Pair> pairs = new ArrayList<>();
  final Map<LocalSshServer, String> destinations = new LinkedHashMap<>();
  final StalledRenames stall;
  private final Path rig;
  private final List<Process> clients = new ArrayList<>();
  private Process reader;

  RigEstate(Path directory, Path root, int accounts) throws IOException {
    this.directory = directory;
    this.rig = root.resolve("bench/rig");
    this.stall = StalledRenames.in(directory);
    Path library = stall.library();
    int serverCount = Math.max(2, Math.min(5, accounts / 8));
    for (int i = 0; i < serverCount; i++) {
      servers.add(
          LocalSshServer.at(directory.resolve("server" + i), Ports.free()).preload(library));
    }
    for (int i = 0; i < 2; i++) {
      hosts.add(LocalSshServer.at(directory.resolve("host" + i), Ports.free()).preload(library));
    }
    for (LocalSshServer server : servers) {
      server.account(KEEPER);
    }
    for (int i = 0; i < accounts; i++) {
      add(i);
    }
    for (LocalSshServer server : all()) {
      server.start();
    }
  }

  private void add(int number) throws IOException {
    LocalSshServer server = servers.get(number % servers.size());
    LocalSshServer host = hosts.get(number % hosts.size());
    String login = "client" + number;
    server.account(login);
    host.account(login);
    Path seat = host.home(login).resolve("id_rig");
    run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", login, "-f", seat.toString());
    Unprivileged.own(host.home(login));
    Pair pair =
        new Pair(
            number,
            login,
            server,
            host,
            seat,
            "127.0." + (1 + number / 200) + "." + (1 + number % 200),
            number % 2 == 1);
    pairs.add(pair);
    Foreign.begin(this, pair);
  }

  /** All servers and hosts. */
  List<LocalSshServer> all() {
    List<LocalSshServer> all = new ArrayList<>(servers);
    all.addAll(hosts);
    return all;
  }

  static void run(String... command) throws IOException {
    LocalSshServer.run(List.of(command));
  }

  /** Tells a service of all of it and waits until every key is placed. */
  void tell(Api api) throws IOException {
    for (LocalSshServer server : all()) {
      attach(api, server);
    }
    List<String> placements = new ArrayList<>();
    for (Pair pair : pairs) {
      placements.add(tell(api, pair));
    }
    for (String placement : placements) {
      Ports.await(
          "a key is placed",
          Duration.ofSeconds(120),
          () -> !get(api, "/placements/" + placement).path("state").asText().equals("wanted"));
    }
  }

  private void attach(Api api, LocalSshServer server) throws IOException {
    boolean keeps = servers.contains(server);
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("name", server.directory().getFileName() + ".rig.example");
    wish.put("family", "sftp-server");
    wish.put("host", "127.0.0.1");
    wish.put("port", server.port());
    wish.put("hostKeys", List.of(server.hostKey().line()));
    if (keeps) {
      wish.put("logPath", server.log().toString());
      wish.put("managementLogin", KEEPER);
      wish.put("keysPath", server.directory() + "/home/{login}/.ssh/authorized_keys");
    }
    JsonNode made = api.post("/destinations", wish);
    destinations.put(server, made.path("id").asText());
    String key = made.path("tolvinKey").asText();
    if (keeps) {
      server.authorize(KEEPER, key);
    }
    for (Pair pair : pairs) {
      if (pair.host() == server) {
        server.authorize(pair.login(), key);
      }
    }
  }

  private String tell(Api api, Pair pair) throws IOException {
    String account =
        api.post(
                "/destinations/" + destinations.get(pair.server()) + "/accounts",
                Map.of("login", pair.login(), "holds", 6))
            .path("id")
            .asText();
    String identity =
        api.post(
                "/identities",
                Map.of(
                    "name",
                    pair.identity(),
                    "kind",
                    "service-account",
                    "team",
                    "rig",
                    "responsible",
                    "rig"))
            .path("id")
            .asText();
    String integration =
        api.post(
                "/integrations",
                Map.of(
                    "name",
                    pair.login() + " job",
                    "owner",
                    "rig",
                    "importance",
                    "normal",
                    "environment",
                    "test"))
            .path("id")
            .asText();
    String seat =
        api.post(
                "/integrations/" + integration + "/seats",
                Map.of(
                    "hostId", destinations.get(pair.host()),
                    "login", pair.login(),
                    "path", pair.seat().toString(),
                    "address", pair.address()))
            .path("id")
            .asText();
    api.post(
        "/seats/" + seat + "/ties",
        Map.of("accountId", account, "expectedInterval", "PT5S", "longestSession", "PT2S"));
    String key =
        api.post(
                "/keys",
                Map.of(
                    "text",
                    Files.readString(Path.of(pair.seat() + ".pub")).strip(),
                    "identityId",
                    identity,
                    "custody",
                    "machine"))
            .path("id")
            .asText();
    return api.post(
            "/placements",
            Map.of("keyId", key, "accountId", account, "title", pair.login(), "access", "write"))
        .path("id")
        .asText();
  }

  private static JsonNode get(Api api, String path) {
    try {
      return api.get(path);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  /** Starts the clients and the independent reader. */
  void watch(double seconds) throws IOException {
    for (Pair pair : pairs) {
      List<String> command = new ArrayList<>();
      command.addAll(
          List.of(
              rig.resolve("client.sh").toString(),
              log(pair).toString(),
              String.valueOf(pair.server().port()),
              pair.login(),
              pair.address(),
              String.valueOf(seconds),
              pair.seat().toString()));
      if (pair.second()) {
        command.add(pair.seat() + ".before");
      }
      clients.add(new ProcessBuilder(command).start());
    }
    reader =
        new ProcessBuilder(
                "python3",
                rig.resolve("reader.py").toString(),
                "watch",
                config().toString(),
                directory.resolve("watched").toString())
            .inheritIO()
            .start();
  }

  Path log(Pair pair) {
    return directory.resolve("sign-ins-" + pair.login());
  }

  /** What the reader is to read. */
  private Path config() throws IOException {
    List<Map<String, String>> all = new ArrayList<>();
    for (Pair pair : pairs) {
      all.add(
          Map.of(
              "name", pair.login(),
              "login", pair.login(),
              "seat", pair.seat().toString(),
              "account", pair.keys().toString(),
              "foreign", Foreign.file(this, pair).toString()));
    }
    Path config = directory.resolve("reader.json");
    JSON.writeValue(
        config.toFile(),
        Map.of("pairs", all, "roots", all().stream().map(s -> s.directory().toString()).toList()));
    return config;
  }

  /** Stops the clients and the reader; gives what the reader saw. */
  JsonNode stopWatching() throws IOException {
    for (Process client : clients) {
      client.descendants().forEach(ProcessHandle::destroy);
      client.destroy();
    }
    reader.destroy();
    reader.onExit().join();
    List<String> lines = Files.readAllLines(directory.resolve("watched"));
    return JSON.readTree(lines.get(lines.size() - 1));
  }

  /** The reader's last look, against what is on record. */
  JsonNode compare(Map<String, List<String>> record) throws IOException {
    Path file = directory.resolve("record.json");
    JSON.writeValue(file.toFile(), record);
    Process process =
        new ProcessBuilder(
                "python3",
                rig.resolve("reader.py").toString(),
                "final",
                config().toString(),
                file.toString())
            .redirectError(ProcessBuilder.Redirect.INHERIT)
            .start();
    return JSON.readTree(process.getInputStream().readAllBytes());
  }

  @Override
  public void close() {
    clients.forEach(
        client -> {
          client.descendants().forEach(ProcessHandle::destroyForcibly);
          client.destroyForcibly();
        });
    if (reader != null) {
      reader.destroyForcibly();
    }
    all().forEach(LocalSshServer::close);
  }
}
