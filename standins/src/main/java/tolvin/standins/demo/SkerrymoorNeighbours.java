package tolvin.standins.demo;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.standins.local.LocalDirectory;
import tolvin.standins.local.LocalRepository;
import tolvin.standins.local.LocalSshServer;

/**
 * Skerrymoor's directory with a server that takes its people's keys from it, its key repository
 * with a server that applies what is pushed, and the customs office, whose server only they can
 * change.
 *
 * <p>They listen on four ports in a row: the directory, the login server, the key repository, the
 * customs office.
 */
public final class SkerrymoorNeighbours implements AutoCloseable {
  /** The people's directory. */
  public static final String PEOPLE = "people.skerrymoor.example";

  /** Where people sign in with the keys that the directory has. */
  public static final String LOGIN = "login.skerrymoor.example";

  /** The key repository, on the server that applies it. */
  public static final String KEYS = "keys.skerrymoor.example";

  /** The server behind the key repository, as a place to sign in. */
  public static final String CRANES = "cranes.skerrymoor.example";

  /** The customs office. */
  public static final String CUSTOMS = "customs.example";

  /** How many ports they need. */
  public static final int PORTS = 4;

  private static final String SERVICE_ACCOUNT = "timetable-night";
  private static final String PASSWORD = "declared and weighed";

  private final LocalDirectory people;
  private final LocalSshServer login;
  private final LocalSshServer keys;
  private final LocalSshServer customs;
  private final String secret;

  private SkerrymoorNeighbours(
      LocalDirectory people,
      LocalSshServer login,
      LocalSshServer keys,
      LocalSshServer customs,
      String secret) {
    this.people = people;
    this.login = login;
    this.keys = keys;
    this.customs = customs;
    this.secret = secret;
  }

  /** Sets them up and starts them. */
  public static SkerrymoorNeighbours start(Path directory, int firstPort) throws IOException {
    Files.createDirectories(directory);
    String secret = secret(directory.resolve("secret"));
    LocalDirectory people =
        LocalDirectory.start(directory.resolve("people"), firstPort, secret)
            .person("isla", "Isla Renwick")
            .person("tormod", "Tormod Haig")
            .person(SERVICE_ACCOUNT, "Timetable Night");
    LocalSshServer login =
        LocalSshServer.at(
                directory.resolve("login"),
                firstPort + 1,
                people.sshOptions("runner").toArray(String[]::new))
            .account("isla")
            .account("tormod")
            .account(SERVICE_ACCOUNT);
    LocalSshServer keys =
        LocalSshServer.at(
                directory.resolve("keys"),
                firstPort + 2,
                "AuthorizedKeysFile .ssh/authorized_keys .ssh/from-repository")
            .account("git")
            .account("crane-north")
            .account(SERVICE_ACCOUNT);
    LocalRepository.in(keys, "git").apply();
    LocalSshServer customs =
        LocalSshServer.at(
                directory.resolve("customs"),
                firstPort + 3,
                "PasswordAuthentication yes",
                "Match User declarations",
                "AuthenticationMethods publickey,password")
            .account("skerrymoor")
            .account("declarations")
            .password("declarations", PASSWORD);
    for (LocalSshServer server : List.of(login, keys, customs)) {
      server.start();
    }
    return new SkerrymoorNeighbours(people, login, keys, customs, secret);
  }

  private static String secret(Path file) throws IOException {
    if (!Files.exists(file)) {
      byte[] random = new byte[16];
      new SecureRandom().nextBytes(random);
      Files.writeString(file, HexFormat.of().formatHex(random));
    }
    return Files.readString(file).strip();
  }

  /** Tells the service of them: what is there already is found, what is missing is added. */
  public void tell(Api api) throws IOException {
    JsonNode loginServer = server(api, LOGIN, login);
    JsonNode directory =
        attach(
            api,
            PEOPLE,
            Map.of(
                "family",
                "directory",
                "port",
                people.port(),
                "user",
                LocalDirectory.KEEPER,
                "secret",
                secret,
                "signsInAtId",
                loginServer.path("id").asText(),
                "settings",
                Map.of(
                    "base",
                    "ou=people," + LocalDirectory.BASE,
                    "attribute",
                    LocalDirectory.ATTRIBUTE,
                    "object-class",
                    LocalDirectory.CLASS,
                    "trusted-certificate",
                    people.trusted())));
    for (String person : List.of("isla", "tormod", SERVICE_ACCOUNT)) {
      account(api, directory, person, Map.of());
    }

    JsonNode cranes = server(api, CRANES, keys);
    JsonNode repository =
        attach(
            api,
            KEYS,
            Map.of(
                "family", "key-repository",
                "port", keys.port(),
                "hostKeys", List.of(keys.hostKey().line()),
                "signsInAtId", cranes.path("id").asText(),
                "settings",
                    Map.of(
                        "path", LocalRepository.PATH,
                        "author", "Tolvin <tolvin@skerrymoor.example>",
                        "signed", "yes")));
    keys.authorize("git", repository.path("tolvinKey").asText());
    for (String login : List.of("crane-north", SERVICE_ACCOUNT)) {
      account(api, repository, login, Map.of());
    }

    JsonNode office =
        attach(
            api,
            CUSTOMS,
            Map.of(
                "family", "partner",
                "port", customs.port(),
                "hostKeys", List.of(customs.hostKey().line()),
                "settings",
                    Map.of(
                        "to-whom", "Customs office, Oona Varr",
                        "contact", "+00 471 100 from the printed list",
                        "form", "rfc4716")));
    account(api, office, "skerrymoor", Map.of());
    account(api, office, "declarations", Map.of("signInMode", "both", "password", PASSWORD));
  }

  private static JsonNode server(Api api, String name, LocalSshServer server) throws IOException {
    return attach(
        api,
        name,
        Map.of(
            "family", "sftp-server",
            "port", server.port(),
            "hostKeys", List.of(server.hostKey().line())));
  }

  private static JsonNode attach(Api api, String name, Map<String, Object> more)
      throws IOException {
    Optional<JsonNode> there = api.find("/destinations?limit=500", "name", name);
    if (there.isPresent()) {
      return there.get();
    }
    Map<String, Object> wish = new LinkedHashMap<>(more);
    wish.put("name", name);
    wish.put("host", "127.0.0.1");
    return api.post("/destinations", wish);
  }

  private static void account(Api api, JsonNode at, String login, Map<String, Object> more)
      throws IOException {
    String id = at.path("id").asText();
    if (api.find("/accounts?destination=" + id, "login", login).isEmpty()) {
      Map<String, Object> wish = new LinkedHashMap<>(more);
      wish.put("login", login);
      api.post("/destinations/" + id + "/accounts", wish);
    }
  }

  @Override
  public void close() {
    for (LocalSshServer server : List.of(customs, keys, login)) {
      server.close();
    }
    people.close();
  }
}
