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
    description = "Systems that keys get registered on: list, show, add, pin.",
    subcommands = {
      DestinationCommands.List_.class,
      DestinationCommands.Show_.class,
      DestinationCommands.Add.class,
      DestinationCommands.Pin.class
    })
final class DestinationCommands {
  private DestinationCommands() {}

  private static final Show.Column[] COLUMNS = {
    column("Name", "/name"),
    column("Family", "/family"),
    column("Host", "/host"),
    column("Port", "/port"),
    column("Accounts", "/accounts"),
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
          column("Host", "/host"),
          column("Port", "/port"),
          column("Host keys", "/hostKeys"),
          column("Management login", "/managementLogin"),
          column("Path of keys", "/keysPath"),
          column("Sign-in log", "/logPath"),
          column("Log read to", "/feed/readTo"),
          column("Log unbroken since", "/feed/unbrokenSince"),
          column("Log failure", "/feed/failure"),
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
        "Attach an SSH server. The answer holds the line with which Tolvin signs in: put it into the",
        "management login's authorized_keys, or into each account's."
      },
      footer = {
        "",
        "Example: tolvin destination add quay.example --host quay.example --host-key quay.pub"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "NAME", description = "Its name.")
    private String name;

    @Option(
        names = "--host",
        required = true,
        paramLabel = "HOST",
        description = "Host name or address.")
    private String host;

    @Option(
        names = "--port",
        defaultValue = "22",
        paramLabel = "PORT",
        description = "TCP port. Default: 22.")
    private int port;

    @Option(
        names = "--host-key",
        required = true,
        paramLabel = "FILE",
        description =
            "The server's host key, compared with its administrator; may be given several times.")
    private List<String> hostKeys;

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

    @Override
    public Integer call() throws Refused {
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("name", name);
      wish.put("family", "sftp_server");
      wish.put("host", host);
      wish.put("port", port);
      wish.put("hostKeys", lines(hostKeys));
      wish.put("managementLogin", management);
      wish.put("keysPath", keysPath);
      wish.put("logPath", log);
      show.one(
          Service.open().post("/destinations", wish),
          column("Name", "/name"),
          column("Host keys", "/hostKeys"),
          column("Tolvin's key", "/tolvinKey"),
          column("Id", "/id"));
      return 0;
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

  private static List<String> lines(List<String> files) throws Refused {
    List<String> lines = new ArrayList<>();
    for (String file : files) {
      lines.add(Input.of(file).key().key().line());
    }
    return lines;
  }
}
