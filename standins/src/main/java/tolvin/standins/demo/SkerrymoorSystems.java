package tolvin.standins.demo;

import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.SecureRandom;
import java.time.Clock;
import java.time.Duration;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tolvin.core.give.KnownHost;
import tolvin.standins.build.BuildSystem;
import tolvin.standins.codehost.CodeHost;
import tolvin.standins.local.LocalPostgres;
import tolvin.standins.warehouse.Warehouse;

/**
 * Skerrymoor Ferries' code host, warehouse and build system, attached by the sheets that ship with
 * Tolvin. Its nightly job fetches the timetable's programs and loads the departures, both with one
 * private key from the build system's credential store.
 */
public final class SkerrymoorSystems implements AutoCloseable {
  /** The code host's name. */
  public static final String CODE = "code.skerrymoor.example";

  /** The warehouse's name. */
  public static final String LAKE = "lake.skerrymoor.example";

  /** The build system's name. */
  public static final String BUILD = "build.skerrymoor.example";

  private static final String REPOSITORY = "boats/timetable";
  private static final String TRIES = "boats/tests";
  private static final String LOADER = "timetable_loader";
  private static final String CREDENTIAL = "timetable-night";
  private static final String JOB = "nightly-timetable";
  private static final String OWNER = "timetable-night";

  private final Path directory;
  private final Path sheets;
  private final String secret;
  private final CodeHost code;
  private final Warehouse lake;
  private final BuildSystem build;

  private SkerrymoorSystems(Path directory, Path sheets, LocalPostgres postgres, int first)
      throws IOException {
    this.directory = directory;
    this.sheets = sheets;
    this.secret = secret(directory.resolve("secret"));
    this.code =
        CodeHost.start(directory.resolve("code"), first, first + 1, CodeHost.Shape.PLAIN, secret);
    code.person("isla")
        .person("tormod")
        .repository(REPOSITORY)
        .repository("boats/fuel")
        .repository(TRIES);
    code.copyingTakes(Duration.ofSeconds(2));
    this.lake =
        Warehouse.start(postgres, first + 2, Warehouse.Shape.TABLE, secret, Clock.systemUTC());
    lake.account(LOADER, "either").account("reports", "password").account("tests", "key");
    this.build =
        BuildSystem.start(directory.resolve("build"), first + 3, BuildSystem.Shape.PLAIN, secret);
    build.job(
        JOB,
        new BuildSystem.Job(
            CREDENTIAL,
            "ssh://git@127.0.0.1:" + code.ssh().port() + "/" + REPOSITORY + ".git",
            List.of(KnownHost.line(List.of("127.0.0.1"), code.ssh().port(), code.ssh().hostKey())),
            Optional.of(new BuildSystem.Load(LOADER, lake.door().url()))));
  }

  /**
   * Starts them.
   *
   * @param sheets where the system sheets are
   * @param first the first of four ports
   */
  public static SkerrymoorSystems start(
      Path directory, Path sheets, LocalPostgres postgres, int first) throws IOException {
    Files.createDirectories(directory);
    return new SkerrymoorSystems(directory, sheets, postgres, first);
  }

  private static String secret(Path file) throws IOException {
    if (!Files.exists(file)) {
      byte[] random = new byte[18];
      new SecureRandom().nextBytes(random);
      Files.writeString(file, "");
      Files.setPosixFilePermissions(file, PosixFilePermissions.fromString("rw-------"));
      Files.writeString(file, HexFormat.of().formatHex(random));
    }
    return Files.readString(file).strip();
  }

  /** Tells the service of them: what is there already is found, what is missing is added. */
  public void tell(Api api) throws IOException {
    JsonNode codeHost =
        attach(
            api,
            CODE,
            "pierhead.yaml",
            Map.of(
                "address", code.url(),
                "settings", Map.of("git-door", "127.0.0.1:" + code.ssh().port()),
                "hostKeys", List.of(code.ssh().hostKey().line())));
    JsonNode repository = account(api, codeHost, REPOSITORY, "repository");
    account(api, codeHost, TRIES, "repository");
    account(api, codeHost, "isla", "person");
    account(api, codeHost, "tormod", "person");
    attempt(api, codeHost, Map.of("account", TRIES));

    JsonNode warehouse =
        attach(
            api,
            LAKE,
            "lazarette.yaml",
            Map.of(
                "address", lake.jdbcUrl(),
                "user", Warehouse.KEEPER,
                "settings", Map.of("token-endpoint", lake.door().url())));
    JsonNode loader = account(api, warehouse, LOADER, "login");
    account(api, warehouse, "reports", "login");
    account(api, warehouse, "tests", "login");
    attempt(api, warehouse, Map.of("account", "tests"));

    JsonNode system = attach(api, BUILD, "slipway.yaml", Map.of("address", build.url()));
    job(api, system, repository, loader);
    attempt(api, system, Map.of("seat", CREDENTIAL));
  }

  private JsonNode attach(Api api, String name, String sheet, Map<String, Object> more)
      throws IOException {
    Optional<JsonNode> there = api.find("/destinations?limit=500", "name", name);
    if (there.isPresent()) {
      return there.get();
    }
    String text = Files.readString(sheets.resolve(sheet));
    JsonNode saved = api.post("/sheets", Map.of("text", text, "reason", "it came with the system"));
    Map<String, Object> wish = new LinkedHashMap<>(more);
    wish.put("name", name);
    wish.put("sheetId", saved.path("id").asText());
    wish.put("secret", secret);
    return api.post("/destinations", wish);
  }

  private static JsonNode account(Api api, JsonNode destination, String login, String kind)
      throws IOException {
    String id = destination.path("id").asText();
    Optional<JsonNode> there = api.find("/accounts?destination=" + id, "login", login);
    return there.isPresent()
        ? there.get()
        : api.post("/destinations/" + id + "/accounts", Map.of("login", login, "kind", kind));
  }

  private static void attempt(Api api, JsonNode destination, Map<String, String> what)
      throws IOException {
    if (!destination.hasNonNull("testedAt")) {
      JsonNode tried =
          api.post("/destinations/" + destination.path("id").asText() + "/tests", what);
      if (!tried.path("good").asBoolean()) {
        throw new IOException("trying " + destination.path("name").asText() + ": " + tried);
      }
    }
  }

  /**
   * The nightly job: its seat in the credential store, its ties, and the key that it began with.
   */
  private void job(Api api, JsonNode system, JsonNode repository, JsonNode loader)
      throws IOException {
    if (api.find("/integrations?limit=500", "name", "Nightly timetable job").isPresent()) {
      return;
    }
    Path file = directory.resolve("first-key");
    Skerrymoor.makeKey(file, OWNER);
    build.put(CREDENTIAL, Files.readString(file));
    JsonNode identity =
        Skerrymoor.identity(api, OWNER, "service-account", "Shore systems", "Tormod Haig");
    JsonNode key =
        api.post(
            "/keys",
            Map.of(
                "text", Files.readString(Path.of(file + ".pub")).strip(),
                "identityId", identity.path("id").asText(),
                "custody", "elsewhere"));
    Files.delete(file); // only the credential store has it now
    Skerrymoor.place(api, key, repository, "nightly job at " + BUILD, "read");
    Skerrymoor.place(api, key, loader, "nightly job at " + BUILD, "write");
    JsonNode integration =
        api.post(
            "/integrations",
            Map.of(
                "name", "Nightly timetable job",
                "owner", "Shore systems",
                "importance", "normal",
                "environment", "production"));
    JsonNode seat =
        api.post(
            "/integrations/" + integration.path("id").asText() + "/seats",
            Map.of("hostId", system.path("id").asText(), "path", CREDENTIAL, "job", JOB));
    for (JsonNode account : List.of(repository, loader)) {
      api.post(
          "/seats/" + seat.path("id").asText() + "/ties",
          Map.of(
              "accountId",
              account.path("id").asText(),
              "expectedInterval",
              "PT5S",
              "longestSession",
              "PT5S"));
    }
  }

  /** The code host, for its SSH server. */
  public CodeHost code() {
    return code;
  }

  @Override
  public void close() {
    build.close();
    lake.close();
    code.close();
  }
}
