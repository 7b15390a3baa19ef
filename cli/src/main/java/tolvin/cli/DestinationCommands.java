package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Destinations. */
@Command(
    name = "destination",
    mixinStandardHelpOptions = true,
    description =
        "Systems that keys get registered on: list, show, add, change, look, confirm, announce, pin,"
            + " try.",
    subcommands = {
      DestinationCommands.List_.class,
      DestinationCommands.Show_.class,
      DestinationCommands.Add.class,
      DestinationCommands.Change.class,
      HostKeyCommands.Look.class,
      HostKeyCommands.Confirm.class,
      HostKeyCommands.Announce.class,
      DestinationCommands.Pin.class,
      DestinationCommands.Try.class
    })
final class DestinationCommands {
  private DestinationCommands() {}

  private static final Show.Column[] COLUMNS = {
    column("Name", "/name"),
    column("Family", "/family"),
    column("System", "/system"),
    column("Accounts", "/accounts"),
    column("Reachable", "/health/reachable"),
    column("Trouble", "/health/failure"),
    column("Stopped because", "/stoppedBecause")
  };

  static JsonNode find(Service service, String text) throws Refused {
    return service.one("/destinations?limit=500", "destination", text, "name");
  }

  /** Lists destinations. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List destinations.",
      footer = {"", "Example: tolvin destination list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/destinations?limit=500"),
          "No destinations. Attach one with: tolvin destination add NAME --host HOST --host-key FILE",
          COLUMNS);
      return 0;
    }
  }

  /** Shows a destination. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a destination.",
      footer = {"", "Example: tolvin destination show sftp.skerrymoor.example"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Override
    public Integer call() throws Refused {
      show.one(
          find(Service.open(), name),
          column("Name", "/name"),
          column("Family", "/family"),
          column("System", "/system"),
          column("Address", "/address"),
          column("Settings", "/settings"),
          column("Connects as", "/user"),
          column("Secret ends", "/secretEndsAt"),
          column("Tried at", "/triedAt"),
          column("Host", "/host"),
          column("Port", "/port"),
          column("Looked at", "/health/at"),
          column("Reachable", "/health/reachable"),
          column("Let in", "/health/secretGood"),
          column("Secret ends there", "/health/secretEnds"),
          column("Clock ahead by s", "/health/clockAheadSeconds"),
          column("Answer took ms", "/health/tookMillis"),
          column("Trouble", "/health/failure"),
          column("Host keys", "/hostKeys"),
          column("Management login", "/managementLogin"),
          column("Path of keys", "/keysPath"),
          column("Sign-in log", "/logPath"),
          column("Log read to", "/feed/readTo"),
          column("Log unbroken since", "/feed/unbrokenSince"),
          column("Log failure", "/feed/failure"),
          column("Reached through", "/route"),
          column("Accounts sign in at", "/signsInAt"),
          column("Reads per second", "/readsPerSecond"),
          column("Stopped because", "/stoppedBecause"),
          column("Tolvin's key", "/tolvinKey"),
          column("Id", "/id"));
      return 0;
    }
  }

  /** Attaches a destination. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = {
        "Attach an SSH server, or a system by its sheet. Of an SSH server the answer holds the line",
        "with which Tolvin signs in: put it into the management login's authorized_keys, or into each",
        "account's. Without --host-key it is stopped until its host key was compared: see look and",
        "confirm."
      },
      footer = {
        "",
        "Example: tolvin destination add quay.example --host quay.example --host-key quay.pub",
        "Example: tolvin destination add code.example --sheet Pierhead --address https://code.example"
            + " --secret-file token --setting git-door=code.example:22"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Relations relations;

    @Parameters(paramLabel = "NAME", description = "Its name.")
    private String name;

    @Option(names = "--host", paramLabel = "HOST", description = "Host name or address.")
    private String host;

    @Option(
        names = "--family",
        defaultValue = "sftp_server",
        paramLabel = "FAMILY",
        description = "sftp_server, key_repository, directory or partner. Default: sftp_server.")
    private String family;

    @Option(
        names = "--port",
        paramLabel = "PORT",
        description = "TCP port. Default: 22, of a directory 636.")
    private Integer port;

    @Option(
        names = "--through",
        paramLabel = "LOGIN@DESTINATION",
        description = "The jump host that it is reached through, and Tolvin's login there.")
    private String through;

    @Option(
        names = "--host-key",
        paramLabel = "FILE",
        description =
            "The server's host key, compared with its administrator; may be given several times.")
    private List<String> hostKeys = List.of();

    @Option(
        names = "--management-login",
        paramLabel = "LOGIN",
        description = "A login that may write every account's keys.")
    private String management;

    @Option(
        names = "--keys-path",
        paramLabel = "PATH",
        description = "The file of an account's keys; {login} stands for its login.")
    private String keysPath;

    @Option(names = "--log", paramLabel = "PATH", description = "The server's sign-in log.")
    private String log;

    @Option(
        names = "--sheet",
        paramLabel = "SYSTEM",
        description = "The sheet that describes it, by its system's name.")
    private String sheet;

    @Option(
        names = "--address",
        paramLabel = "URL",
        description = "With a sheet: the base of all requests, or the database's URL.")
    private String address;

    @Option(
        names = "--setting",
        paramLabel = "NAME=VALUE",
        description =
            "What the sheet or the family wants to be told; @FILE takes a file's content;"
                + " repeatable.")
    private Map<String, String> settings = new LinkedHashMap<>();

    @Option(names = "--user", paramLabel = "NAME", description = "As whom Tolvin connects.")
    private String user;

    @Option(
        names = "--secret-file",
        paramLabel = "FILE",
        description = "With what Tolvin connects; asked for if it is needed and not given.")
    private String secretFile;

    @Option(
        names = "--secret-ends",
        paramLabel = "MOMENT",
        description = "When that secret ends, such as 2027-03-31T00:00:00Z.")
    private String secretEnds;

    private void relate(Service service, Map<String, Object> wish) throws Refused {
      if (through != null) {
        int at = through.indexOf('@');
        if (at < 1) {
          throw new Refused("Give the jump host as LOGIN@DESTINATION.");
        }
        wish.put("routeId", find(service, through.substring(at + 1)).get("id").asText());
        wish.put("routeLogin", through.substring(0, at));
      }
      relations.into(service, wish);
    }

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("name", name);
      wish.put("hostKeys", lines(hostKeys));
      if (sheet == null) {
        if (host == null) {
          throw new Refused("Say where it is: --host HOST, or --sheet SYSTEM and --address URL.");
        }
        wish.put("family", family);
        wish.put("host", host);
        wish.put("port", port);
        wish.put("user", user);
        if (!family.equals("sftp_server")) {
          wish.put("settings", contents(settings));
        }
        if (family.equals("directory")) {
          wish.put("secret", Secret.whole("Secret of " + name, secretFile));
        }
        relate(service, wish);
        wish.put("managementLogin", management);
        wish.put("keysPath", keysPath);
        wish.put("logPath", log);
      } else {
        JsonNode found = service.one("/sheets", "sheet", sheet, "system");
        wish.put("sheetId", found.get("id").asText());
        wish.put("address", address);
        wish.put("settings", contents(settings));
        wish.put("user", user);
        wish.put("secretEndsAt", secretEnds);
        if (!found.path("connectsWith").asText().equals("nothing")) {
          wish.put("secret", Secret.whole("Secret of " + name, secretFile));
        }
      }
      show.one(
          service.post("/destinations", wish),
          column("Name", "/name"),
          column("System", "/system"),
          column("Host keys", "/hostKeys"),
          column("Stopped because", "/stoppedBecause"),
          column("Tolvin's key", "/tolvinKey"),
          column("Id", "/id"));
      return 0;
    }
  }

  /** Settings whose value is a file's content. */
  private static Map<String, String> contents(Map<String, String> settings) throws Refused {
    Map<String, String> whole = new LinkedHashMap<>();
    for (Map.Entry<String, String> setting : settings.entrySet()) {
      String value = setting.getValue();
      try {
        whole.put(
            setting.getKey(),
            value.startsWith("@")
                ? java.nio.file.Files.readString(java.nio.file.Path.of(value.substring(1)))
                : value);
      } catch (java.io.IOException e) {
        throw new Refused(value.substring(1) + " cannot be read: " + e.getMessage());
      }
    }
    return whole;
  }

  /** How a destination is read and what it has to do with others; said at first and later on. */
  static final class Relations {
    @Option(
        names = "--signs-in-at",
        paramLabel = "DESTINATION",
        description = "The SSH server that takes its accounts' keys from there.")
    private String signsInAt;

    @Option(
        names = "--reads-per-second",
        paramLabel = "COUNT",
        description = "How many accounts a sweep reads there in a second, at most. At first: 20.")
    private Integer readsPerSecond;

    @Option(
        names = "--config",
        paramLabel = "PATH",
        description = "The SSH server's configuration, so that other doors are seen.")
    private String config;

    @Option(
        names = "--mode-path",
        paramLabel = "PATH",
        description = "Where an account's sign-in mode is written, with {login} in it.")
    private String modePath;

    @Option(
        names = "--reload",
        paramLabel = "COMMAND",
        description = "What makes the server read its configuration again.")
    private String reload;

    void into(Service service, Map<String, Object> wish) throws Refused {
      wish.put(
          "signsInAtId", signsInAt == null ? null : find(service, signsInAt).get("id").asText());
      wish.put("readsPerSecond", readsPerSecond);
      wish.put("configPath", config);
      wish.put("modePath", modePath);
      wish.put("reloadCommand", reload);
    }
  }

  /** Changes what is known of a destination, or gives a new connection secret. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = {
        "Change what is known of a destination: what is not named stays, and an empty text takes a",
        "path out. Without any other option the secret that Tolvin connects with is asked for anew."
      },
      footer = {
        "",
        "Example: tolvin destination change code.example --secret-file token",
        "Example: tolvin destination change keys.example --signs-in-at cranes.example",
        "Example: tolvin destination change sftp.example --config /etc/ssh/sshd_config"
      })
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Relations relations;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Option(
        names = "--secret-file",
        paramLabel = "FILE",
        description = "The secret; asked for if it is not given.")
    private String secretFile;

    @Option(names = "--secret-ends", paramLabel = "MOMENT", description = "When it ends.")
    private String secretEnds;

    @Option(names = "--log", paramLabel = "PATH", description = "The server's sign-in log.")
    private String log;

    @Option(
        names = "--propagation",
        paramLabel = "DURATION",
        description = "How long a change takes to be everywhere, such as PT2M.")
    private String propagation;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode destination = find(service, name);
      Map<String, Object> change = new LinkedHashMap<>();
      change.put("logPath", log);
      change.put("propagation", propagation);
      relations.into(service, change);
      boolean secretAlone = change.values().stream().allMatch(java.util.Objects::isNull);
      if (secretAlone || secretFile != null) {
        change.put("secret", Secret.whole("Secret of " + name, secretFile));
        change.put("secretEndsAt", secretEnds);
      }
      show.one(
          service.patch(
              "/destinations/" + destination.get("id").asText(),
              change,
              destination.get("version").asText()),
          COLUMNS);
      return 0;
    }
  }

  /** Tries a destination with a throw-away key. */
  @Command(
      name = "try",
      mixinStandardHelpOptions = true,
      description = {
        "Try a destination by its sheet on a real account, with a throw-away key: read, place, read",
        "back, withdraw, read back. Keys are placed there only after that went well."
      },
      footer = {"", "Example: tolvin destination try code.example --account boats/tries"})
  static final class Try implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Option(
        names = "--account",
        paramLabel = "LOGIN",
        description = "An account on record that nothing depends on.")
    private String account;

    @Option(
        names = "--seat",
        paramLabel = "NAME",
        description = "For systems that have seats only: a credential, which is read.")
    private String seat;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = find(service, name).get("id").asText();
      if (seat == null) {
        consent.ask(
            "Place a throw-away key on " + account + " at " + name + ", and take it off again?");
      }
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("account", account);
      wish.put("seat", seat);
      JsonNode tried = service.post("/destinations/" + id + "/tries", wish);
      show.list(
          tried.get("steps"),
          "Nothing was tried.",
          column("Step", "/step"),
          column("Good", "/good"),
          column("What was seen", "/said"));
      return tried.get("good").asBoolean() ? 0 : 1;
    }
  }

  /** Pins other host keys. */
  @Command(
      name = "pin",
      mixinStandardHelpOptions = true,
      description =
          "Pin other host keys, after comparing them, and let a stopped destination go on.",
      footer = {
        "",
        "Example: tolvin destination pin quay.example new.pub --reason 'reinstalled, compared by phone'"
      })
  static final class Pin implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(index = "0", paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Parameters(
        index = "1..*",
        arity = "1..*",
        paramLabel = "FILE",
        description = "Host key files.")
    private List<String> files;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode destination = find(service, name);
      List<String> lines = lines(files);
      consent.ask(
          "Pin " + lines.size() + " host key(s) for " + name + " in place of the old ones?");
      show.one(
          service.post(
              "/destinations/" + destination.get("id").asText() + "/host-keys",
              Map.of("hostKeys", lines, "reason", reason)),
          COLUMNS);
      return 0;
    }
  }

  static List<String> lines(List<String> files) throws Refused {
    List<String> lines = new ArrayList<>();
    for (String file : files) {
      lines.add(Input.of(file).key().key().line());
    }
    return lines;
  }
}
