package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.core.key.Reading;

/** Keys. */
@Command(
    name = "key",
    mixinStandardHelpOptions = true,
    description = "Public keys: look, list, show, add.",
    subcommands = {
      KeyCommands.Look.class,
      KeyCommands.List_.class,
      KeyCommands.Show_.class,
      KeyCommands.Add.class
    })
final class KeyCommands {
  private KeyCommands() {}

  static final Show.Column[] COLUMNS = {
    column("Fingerprint", "/fingerprint"),
    column("Type", "/type"),
    column("Bits", "/bits"),
    column("Identity", "/identity"),
    column("Custody", "/custody"),
    column("Last used", "/lastUsedAt")
  };

  static JsonNode find(Service service, String text) throws Refused {
    return service.one("/keys?limit=500", "key", text, "fingerprint", "md5", "identity");
  }

  /** Looks at files; needs no service. */
  @Command(
      name = "look",
      mixinStandardHelpOptions = true,
      description = "Say what a public key file holds. Works without a service; nothing is sent.",
      footer = {"", "Example: tolvin key look ~/.ssh/id_ed25519.pub"})
  static final class Look implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        arity = "1..*",
        paramLabel = "FILE",
        description = "Files, or - for standard input.")
    private List<String> files;

    @Override
    public Integer call() throws Refused {
      ArrayNode found = Service.JSON.createArrayNode();
      for (String file : files) {
        Reading.Key read = Input.key(file);
        ObjectNode node = found.addObject();
        node.put("file", file);
        node.put("fingerprint", read.key().fingerprintText());
        node.put("md5", read.key().md5());
        node.put("type", read.key().type().word());
        node.put("bits", read.key().bits());
        read.key().application().ifPresent(a -> node.put("application", a));
        node.put("comment", read.comment());
      }
      Show.Column[] columns = {
        column("File", "/file"),
        column("Fingerprint", "/fingerprint"),
        column("MD5", "/md5"),
        column("Type", "/type"),
        column("Bits", "/bits"),
        column("Application", "/application"),
        column("Comment", "/comment")
      };
      if (found.size() == 1) {
        show.one(found.get(0), columns);
      } else {
        show.list(found, "", columns[0], columns[1], columns[3], columns[4], columns[6]);
      }
      return 0;
    }
  }

  /** Lists keys. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List keys.",
      footer = {"", "Example: tolvin key list --search ferry"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(
        names = "--search",
        defaultValue = "",
        paramLabel = "TEXT",
        description = "In fingerprint, comment, identity, team, type.")
    private String search;

    @Option(names = "--ended", description = "Also keys that are out of use.")
    private boolean ended;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/keys?limit=500&ended=" + ended + "&search=" + Service.query(search)),
          "No keys. Register one with: tolvin key add FILE --identity NAME",
          COLUMNS);
      return 0;
    }
  }

  /** Shows a key. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a key: whose, where, used when, what breaks without it.",
      footer = {"", "Example: tolvin key show timetable-feed"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "KEY", description = "Fingerprint or its beginning, identity, or id.")
    private String key;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode found = find(service, key);
      String id = found.get("id").asText();
      JsonNode placements = service.get("/placements?key=" + id).get("items");
      JsonNode uses = service.get("/keys/" + id + "/uses");
      JsonNode dependences = service.get("/keys/" + id + "/dependences");
      if (!show.isTable()) {
        ObjectNode whole = found.deepCopy();
        whole.set("placements", placements);
        whole.set("uses", uses);
        whole.set("dependences", dependences);
        show.one(whole, COLUMNS);
        return 0;
      }
      show.one(
          found,
          column("Fingerprint", "/fingerprint"),
          column("MD5", "/md5"),
          column("Type", "/type"),
          column("Bits", "/bits"),
          column("Identity", "/identity"),
          column("Team", "/team"),
          column("Custody", "/custody"),
          column("Comment", "/comment"),
          column("Made", "/madeAt"),
          column("Due", "/due/reason"),
          column("Ended", "/endedBecause"),
          column("Id", "/id"));
      show.out().println("\nPlaced");
      show.list(
          placements,
          "  nowhere",
          column("Account", "/account"),
          column("State", "/state"),
          column("Title", "/title"),
          column("Reason", "/reason"));
      show.out().println("\nUsed");
      show.list(
          uses,
          "  never seen",
          column("Account", "/account"),
          column("From", "/address"),
          column("Times", "/count"),
          column("Last", "/lastAt"));
      show.out().println("\nWithout it");
      show.list(
          dependences,
          "  nothing that is known would break",
          column("Tie", "/tie"),
          column("Breaks", "/breaks"),
          column("Other key", "/otherKey"));
      return 0;
    }
  }

  /** Registers a key. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Register a public key for an identity.",
      footer = {"", "Example: tolvin key add id_crane.pub --identity crane-feed --custody machine"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The .pub file, or - for standard input.")
    private String file;

    @Option(
        names = "--identity",
        required = true,
        paramLabel = "NAME",
        description = "Whom it belongs to.")
    private String identity;

    @Option(
        names = "--custody",
        defaultValue = "machine",
        paramLabel = "WORD",
        description = "machine, device, module or elsewhere. Default: machine.")
    private String custody;

    @Override
    public Integer call() throws Refused {
      Reading.Key read = Input.key(file);
      Service service = Service.open();
      JsonNode owner = service.one("/identities?limit=500", "identity", identity, "name");
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("text", read.key().line(read.comment()));
      wish.put("identityId", owner.get("id").asText());
      wish.put("custody", custody);
      show.one(service.post("/keys", wish), COLUMNS);
      return 0;
    }
  }
}
