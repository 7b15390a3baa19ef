package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Keys. */
@Command(
    name = "key",
    mixinStandardHelpOptions = true,
    description =
        "Public keys: look, add, make, prove, list, mine, show, compare, convert, give, public, sign,"
            + " download.",
    subcommands = {
      KeyLook.class,
      KeyAdd.class,
      KeyCommands.List_.class,
      KeyCommands.Show_.class,
      KeyCompare.class,
      KeyConvert.class,
      KeyGive.class,
      KeyPublic.class,
      KeyMake.class,
      KeyProve.class,
      KeySign.class,
      KeyDownload.class,
      KeyMine.class
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
      JsonNode verdicts = service.get("/keys/" + id + "/verdicts");
      if (!show.isTable()) {
        ObjectNode whole = found.deepCopy();
        whole.set("placements", placements);
        whole.set("uses", uses);
        whole.set("dependences", dependences);
        whole.set("verdicts", verdicts);
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
      show.out().println("\nJudged");
      judged(verdicts);
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

    /** Every rule that the key or a place falls short of, in full. */
    private void judged(JsonNode verdicts) {
      boolean any = false;
      for (JsonNode judged : verdicts) {
        for (JsonNode note : judged.at("/verdict/notes")) {
          any = true;
          String word =
              note.get("refuses").asBoolean()
                  ? "refused"
                  : note.hasNonNull("exception") ? "excepted" : "warning";
          String where = judged.path("account").asText("the key by itself");
          show.out().println(where + ": " + word + " by rule " + note.get("rule").asText());
          show.out()
              .println("  " + note.get("sentence").asText() + " " + note.path("wayOut").asText());
          if (note.hasNonNull("exception")) {
            show.out().println("  let pass for now: " + note.get("exception").asText());
          }
        }
      }
      if (!any) {
        show.out().println("  accepted by every rule");
      }
    }
  }
}
