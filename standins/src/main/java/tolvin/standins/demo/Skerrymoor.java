package tolvin.standins.demo;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.Duration;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import tolvin.standins.local.LocalSshServer;
import tolvin.standins.local.Ports;
import tolvin.standins.local.Unprivileged;

/**
 * Skerrymoor Ferries' estate: two real OpenSSH servers, and in the service's books whose keys stand
 * where. Setting it up again finds what is there already.
 */
public final class Skerrymoor implements AutoCloseable {
  /** The server that files are uploaded to. */
  public static final String SFTP = "sftp.skerrymoor.example";

  /** The server that the client programs run on, and their private keys lie on. */
  public static final String APPS = "apps.skerrymoor.example";

  private static final String KEEPER = "keeper";
  private static final String PERSON = "isla";
  private static final List<Feed> FEEDS =
      List.of(
          new Feed("timetable", "high", "127.0.0.21", Duration.ofSeconds(1)),
          new Feed("manifest", "high", "127.0.0.22", Duration.ofSeconds(2)),
          new Feed("fuel", "normal", "127.0.0.23", Duration.ofSeconds(2)));
  private static final List<String> PEOPLE =
      List.of("Isla Renwick", "Tormod Haig", "Perpetua Quill", "Jonas Ferrier");

  /** A nightly file that is sent somewhere; in the demo, night falls every second. */
  private record Feed(String name, String importance, String address, Duration every) {
    String login() {
      return name + "-app";
    }
  }

  private final LocalSshServer sftp;
  private final LocalSshServer apps;

  private Skerrymoor(LocalSshServer sftp, LocalSshServer apps) {
    this.sftp = sftp;
    this.apps = apps;
  }

  /**
   * Sets the two servers up and starts them.
   *
   * @param directory where all their files are
   */
  public static Skerrymoor start(Path directory, int sftpPort, int appsPort) throws IOException {
    LocalSshServer sftp = LocalSshServer.at(directory.resolve("sftp"), sftpPort);
    LocalSshServer apps = LocalSshServer.at(directory.resolve("apps"), appsPort);
    for (Feed feed : FEEDS) {
      sftp.account(feed.name());
      apps.account(feed.login());
      Path file = seat(apps, feed);
      if (!Files.exists(file)) {
        makeKey(file, feed.login());
        Unprivileged.own(apps.home(feed.login()));
      }
    }
    sftp.account("ticketing").account(KEEPER);
    apps.account("crane-app").account(PERSON);
    sftp.start();
    apps.start();
    return new Skerrymoor(sftp, apps);
  }

  /** Tells the service of the estate: what is there already is found, what is missing is added. */
  public void tell(Api api) throws IOException {
    JsonNode sftpServer =
        destination(
            api,
            SFTP,
            sftp,
            Map.of(
                "managementLogin",
                KEEPER,
                "keysPath",
                sftp.directory() + "/home/{login}/.ssh/authorized_keys"));
    sftp.authorize(KEEPER, sftpServer.path("tolvinKey").asText());
    JsonNode appServer = destination(api, APPS, apps, Map.of());
    rules(api);
    leaveBehind();
    for (Feed feed : FEEDS) {
      apps.authorize(feed.login(), appServer.path("tolvinKey").asText());
      account(api, appServer, feed.login());
      feed(api, feed, account(api, sftpServer, feed.name()), appServer.path("id").asText());
    }
    apps.authorize("crane-app", appServer.path("tolvinKey").asText());
    account(api, appServer, "crane-app");
    people(api, account(api, sftpServer, "ticketing"));
    person(api, appServer);
  }

  /** What nobody keeps in order: keys that somebody left behind, and a line that a mail broke. */
  private void leaveBehind() throws IOException {
    Path found = sftp.directory().resolve("left-behind");
    if (!Files.exists(found)) {
      makeKey(found, "perpetua.quill@old-laptop");
      sftp.authorize("ticketing", Files.readString(Path.of(found + ".pub")).strip());
      Path second = sftp.directory().resolve("left-behind-2");
      makeKey(second, "contractor 2019");
      String line = Files.readString(Path.of(second + ".pub")).strip();
      sftp.authorize("fuel", line);
      sftp.authorize("ticketing", line.substring(0, 50) + "\n" + line.substring(50));
    }
  }

  /**
   * Has everything read once, so that the first look at the findings shows something. The service
   * may have swept by itself before there was anything to read.
   */
  public void sweepOnce(Api api) throws IOException {
    for (JsonNode sweep : api.get("/sweeps").path("items")) {
      if (sweep.path("read").asInt() + sweep.path("due").asInt() > 0) {
        return;
      }
    }
    api.post("/sweeps", Map.of());
  }

  /** Isla Renwick signs in to Tolvin herself, and has an account of her own on the app server. */
  private void person(Api api, JsonNode appServer) throws IOException {
    apps.authorize(PERSON, appServer.path("tolvinKey").asText());
    String identity =
        identity(api, PEOPLE.get(0), "person", "Ticket office", PEOPLE.get(0)).path("id").asText();
    String server = appServer.path("id").asText();
    if (api.find("/accounts?destination=" + server, "login", PERSON).isEmpty()) {
      api.post(
          "/destinations/" + server + "/accounts",
          Map.of("login", PERSON, "holds", 4, "identityId", identity));
    }
    join(api, identity);
    Path maker = apps.directory().resolveSibling("security-key/maker.pem");
    if (Files.exists(maker) && api.get("/trust-anchors").path("items").isEmpty()) {
      api.post("/trust-anchors", Map.of("certificate", Files.readString(maker)));
    }
  }

  /** She chooses a password with the link that she is given. */
  private void join(Api api, String identity) throws IOException {
    Optional<JsonNode> there = api.find("/users", "login", PERSON);
    if (there.isPresent() && !there.get().path("state").asText().equals("invited")) {
      return;
    }
    JsonNode invitation =
        there.isPresent()
            ? api.post("/users/" + there.get().path("id").asText() + "/link", Map.of())
            : api.post("/users", Map.of("login", PERSON, "identityId", identity));
    String link = invitation.path("link").asText();
    String password = "tide-" + UUID.randomUUID();
    Path file = apps.directory().resolveSibling("isla.properties");
    Files.writeString(file, "");
    Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
    Files.writeString(file, "login=isla\npassword=" + password + "\n");
    api.post(
        "/users/join", Map.of("link", link.substring(link.indexOf('#') + 1), "password", password));
  }

  private JsonNode destination(
      Api api, String name, LocalSshServer server, Map<String, String> more) throws IOException {
    Optional<JsonNode> there = api.find("/destinations", "name", name);
    if (there.isPresent()) {
      return there.get();
    }
    Map<String, Object> wish = new LinkedHashMap<>(more);
    wish.put("name", name);
    wish.put("family", "sftp-server");
    wish.put("host", "127.0.0.1");
    wish.put("port", server.port());
    wish.put("hostKeys", List.of(server.hostKey().line()));
    wish.put("logPath", server.log().toString());
    return api.post("/destinations", wish);
  }

  private static JsonNode account(Api api, JsonNode destination, String login) throws IOException {
    String id = destination.path("id").asText();
    Optional<JsonNode> there = api.find("/accounts?destination=" + id, "login", login);
    return there.isPresent()
        ? there.get()
        : api.post("/destinations/" + id + "/accounts", Map.of("login", login, "holds", 4));
  }

  private static void rules(Api api) throws IOException {
    if (api.find("/rules", "number", "70").isEmpty()) {
      rule(api, 70, "service accounts", "service-account", null, "P90D", "P14D", "PT15S");
      rule(api, 80, "people", "person", null, "P365D", "P30D", "P7D");
    }
  }

  private static void rule(
      Api api,
      int number,
      String name,
      String kind,
      String identity,
      String every,
      String lead,
      String watch)
      throws IOException {
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("number", number);
    wish.put("name", name);
    wish.put("identityKind", kind);
    wish.put("identityId", identity);
    wish.put("every", every);
    wish.put("lead", lead);
    wish.put("watch", watch);
    api.post("/rules", wish);
  }

  private void feed(Api api, Feed feed, JsonNode account, String appServer) throws IOException {
    String owner = feed.name() + "-feed";
    JsonNode identity = identity(api, owner, "service-account", "Shore systems", "Isla Renwick");
    if (feed.name().equals("fuel") && api.find("/rules", "number", "60").isEmpty()) {
      String id = identity.path("id").asText();
      rule(api, 60, "the fuel feed, to watch it happen", null, id, "PT6M", "PT4M", "PT8S");
    }
    String name = "Nightly " + feed.name() + " file";
    JsonNode integration =
        api.find("/integrations", "name", name)
            .orElseGet(
                () ->
                    unchecked(
                        () ->
                            api.post(
                                "/integrations",
                                Map.of(
                                    "name",
                                    name,
                                    "owner",
                                    "Shore systems",
                                    "importance",
                                    feed.importance(),
                                    "environment",
                                    "production"))));
    if (integration.path("seats").isEmpty()) {
      JsonNode seat =
          api.post(
              "/integrations/" + integration.path("id").asText() + "/seats",
              Map.of(
                  "hostId", appServer,
                  "login", feed.login(),
                  "path", seat(apps, feed).toString(),
                  "address", feed.address()));
      api.post(
          "/seats/" + seat.path("id").asText() + "/ties",
          Map.of(
              "accountId",
              account.path("id").asText(),
              "expectedInterval",
              "PT5S",
              "longestSession",
              "PT2S"));
    }
    if (api.get("/keys?identity=" + identity.path("id").asText()).path("items").isEmpty()) {
      String line = Files.readString(Path.of(seat(apps, feed) + ".pub")).trim();
      JsonNode key =
          api.post(
              "/keys",
              Map.of(
                  "text", line, "identityId", identity.path("id").asText(), "custody", "machine"));
      place(api, key, account, feed.name() + " upload from " + APPS);
    }
  }

  static JsonNode identity(Api api, String name, String kind, String team, String responsible)
      throws IOException {
    Optional<JsonNode> there = api.find("/identities?limit=500", "name", name);
    return there.isPresent()
        ? there.get()
        : api.post(
            "/identities",
            Map.of("name", name, "kind", kind, "team", team, "responsible", responsible));
  }

  private static void place(Api api, JsonNode key, JsonNode account, String title)
      throws IOException {
    place(api, key, account, title, "write");
  }

  static void place(Api api, JsonNode key, JsonNode account, String title, String access)
      throws IOException {
    String id =
        api.post(
                "/placements",
                Map.of(
                    "keyId",
                    key.path("id").asText(),
                    "accountId",
                    account.path("id").asText(),
                    "title",
                    title,
                    "access",
                    access))
            .path("id")
            .asText();
    Ports.await(
        "the key of " + title + " is placed",
        Duration.ofSeconds(60),
        () ->
            !unchecked(() -> api.get("/placements/" + id)).path("state").asText().equals("wanted"));
  }

  private void people(Api api, JsonNode ticketing) throws IOException {
    Path directory = apps.directory().resolveSibling("people");
    Files.createDirectories(directory);
    for (int i = 0; i < PEOPLE.size(); i++) {
      String name = PEOPLE.get(i);
      JsonNode identity = identity(api, name, "person", "Ticket office", name);
      if (api.get("/keys?identity=" + identity.path("id").asText()).path("items").isEmpty()) {
        Path file = directory.resolve("person" + i);
        if (!Files.exists(file)) {
          makeKey(file, name.toLowerCase().replace(' ', '.') + "@laptop");
        }
        JsonNode key =
            api.post(
                "/keys",
                Map.of(
                    "text", Files.readString(Path.of(file + ".pub")).trim(),
                    "identityId", identity.path("id").asText(),
                    "custody", "machine"));
        if (i < 2) {
          place(api, key, ticketing, name + "'s laptop");
        }
      }
    }
  }

  /** The arguments with which the client programs are started. */
  public List<String> clientArguments(Path status) {
    List<String> arguments = new ArrayList<>();
    arguments.add(status.toString());
    for (FerryClients.Upload u : uploads()) {
      arguments.addAll(
          List.of(
              u.name(),
              u.host(),
              String.valueOf(u.port()),
              u.login(),
              u.keyFile().toString(),
              u.hostKey(),
              u.address(),
              String.valueOf(u.every().toMillis())));
    }
    return arguments;
  }

  /** What the client programs do. */
  public List<FerryClients.Upload> uploads() {
    return FEEDS.stream()
        .map(
            feed ->
                new FerryClients.Upload(
                    feed.name(),
                    "127.0.0.1",
                    sftp.port(),
                    feed.name(),
                    seat(apps, feed),
                    sftp.hostKey().fingerprint().value(),
                    feed.address(),
                    feed.every()))
        .toList();
  }

  /** The server that files are uploaded to. */
  public LocalSshServer sftp() {
    return sftp;
  }

  /** The server that the client programs' private keys lie on. */
  public LocalSshServer apps() {
    return apps;
  }

  @Override
  public void close() {
    sftp.close();
    apps.close();
  }

  private static Path seat(LocalSshServer apps, Feed feed) {
    return apps.home(feed.login()).resolve("id_" + feed.name());
  }

  static void makeKey(Path file, String comment) throws IOException {
    Process process =
        new ProcessBuilder(
                "ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-C", comment, "-f", file.toString())
            .redirectErrorStream(true)
            .start();
    String output = new String(process.getInputStream().readAllBytes());
    try {
      if (process.waitFor() != 0) {
        throw new IOException("no key was made: " + output);
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IOException("interrupted", e);
    }
  }

  private static <T> T unchecked(java.util.concurrent.Callable<T> call) {
    try {
      return call.call();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }
}
