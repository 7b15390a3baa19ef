package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Findings, and the deeds that settle them. */
@Command(
    name = "finding",
    mixinStandardHelpOptions = true,
    description = "What differs from what should be there, and the deeds that settle it.",
    subcommands = {
      FindingCommands.List_.class,
      FindingCommands.Show_.class,
      FindingCommands.Adopt.class,
      FindingCommands.PutBack.class,
      FindingCommands.Withdraw.class,
      FindingCommands.Accept.class
    })
final class FindingCommands {
  private FindingCommands() {}

  private static String id(Service service, String text) throws Refused {
    return service.id("/findings?limit=500", "finding", text);
  }

  /** How many there are of each kind. */
  static void groups(Service service, Show show, String destination) throws Refused {
    show.list(
        service.get(
            "/findings/groups" + (destination == null ? "" : "?destination=" + destination)),
        "Nothing differs from the books.",
        column("How bad", "/severity"),
        column("What", "/title"),
        column("Open", "/count"),
        column("Kind", "/kind"));
  }

  /** Which findings are meant. */
  static final class Which {
    @Option(
        names = "--destination",
        paramLabel = "DESTINATION",
        description = "Only those on a destination.")
    private String destination;

    @Option(names = "--kind", paramLabel = "KIND", description = "Only those of a kind.")
    private String kind;

    @Option(
        names = "--severity",
        paramLabel = "HOW-BAD",
        description = "Only broken, serious or untidy ones.")
    private String severity;

    @Option(names = "--search", paramLabel = "TEXT", description = "Only those that mention it.")
    private String search;

    private boolean isAny() {
      return destination != null || kind != null || severity != null || search != null;
    }

    ArrayNode find(Service service, String state) throws Refused {
      StringBuilder path = new StringBuilder("/findings?limit=500&state=" + state);
      if (destination != null) {
        path.append("&destination=")
            .append(DestinationCommands.find(service, destination).get("id").asText());
      }
      for (Map.Entry<String, String> one :
          Map.of(
                  "kind", kind == null ? "" : kind,
                  "severity", severity == null ? "" : severity,
                  "search", search == null ? "" : search)
              .entrySet()) {
        if (!one.getValue().isEmpty()) {
          path.append('&').append(one.getKey()).append('=').append(Service.query(one.getValue()));
        }
      }
      return service.all(path.toString());
    }
  }

  /** Lists findings. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List findings.",
      footer = {"", "Example: tolvin finding list --kind unknown-key"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Which which;

    @Option(
        names = "--state",
        defaultValue = "open",
        paramLabel = "STATE",
        description = "open, accepted or settled. Default: open.")
    private String state;

    @Override
    public Integer call() throws Refused {
      ArrayNode found = which.find(Service.open(), state);
      found.forEach(
          f ->
              ((ObjectNode) f)
                  .set("where", f.hasNonNull("account") ? f.get("account") : f.get("destination")));
      show.list(
          found,
          "No findings. See what is really there with: tolvin sweep run",
          column("How bad", "/severity"),
          column("What", "/title"),
          column("Where", "/where"),
          column("Since", "/firstSeenAt"),
          column("Again", "/cameBack"),
          column("Id", "/id"));
      return 0;
    }
  }

  /** Shows one. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a finding with what was seen and what to do.",
      footer = {"", "Example: tolvin finding show ID"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ID", description = "The finding's id, or the first characters of it.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.get("/findings/" + id(service, id)),
          column("What", "/title"),
          column("How bad", "/severity"),
          column("Where", "/account"),
          column("Destination", "/destination"),
          column("Sentence", "/sentence"),
          column("Seen", "/evidence"),
          column("Way out", "/wayOut"),
          column("Settled by", "/deeds"),
          column("Perhaps whose", "/suggestion"),
          column("First seen", "/firstSeenAt"),
          column("Last seen", "/seenAt"),
          column("Came back", "/cameBack"),
          column("Accepted until", "/acceptedUntil"),
          column("Accepted because", "/acceptedBecause"),
          column("Settled at", "/settledAt"),
          column("Settled by deed", "/settledBy"));
      return 0;
    }
  }

  /** What every deed has in common: which findings, a look at what would be done, a yes. */
  abstract static class Deed implements Callable<Integer> {
    private static final int AT_ONCE = 200;

    @Mixin private Show show;
    @Mixin private Which which;
    @Mixin private Consent consent;

    @Parameters(arity = "0..*", paramLabel = "ID", description = "Findings by their ids.")
    private List<String> ids = new ArrayList<>();

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Option(names = "--ticket", paramLabel = "TICKET", description = "A ticket number.")
    private String ticket;

    @Option(names = "--rehearse", description = "Show what would be done, and do nothing.")
    private boolean rehearse;

    private final String deed;

    Deed(String deed) {
      this.deed = deed;
    }

    void more(Service service, Map<String, Object> settling) throws Refused {}

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      List<String> wanted = new ArrayList<>();
      for (String id : ids) {
        wanted.add(id(service, id));
      }
      if (which.isAny()) {
        which.find(service, "open").forEach(f -> wanted.add(f.get("id").asText()));
      }
      if (wanted.isEmpty()) {
        throw new Refused("Say which findings: ids, or --kind, --destination, --search.");
      }
      Map<String, Object> settling = new LinkedHashMap<>();
      settling.put("deed", deed);
      settling.put("reason", reason);
      settling.put("ticket", ticket);
      more(service, settling);
      ArrayNode preview = asked(service, "/findings/preview", settling, wanted);
      if (show.isTable() || rehearse) {
        table(preview);
      }
      int impossible = impossible(preview);
      if (rehearse) {
        return impossible > 0 ? 1 : 0;
      }
      int possible = preview.size() - impossible;
      if (possible == 0) {
        return 1;
      }
      consent.ask("Settle " + possible + " of " + preview.size() + " findings so?");
      ArrayNode done = asked(service, "/findings/settle", settling, wanted);
      int failed = impossible(done);
      if (failed > impossible || !show.isTable()) {
        table(done); // what the preview did not foresee, or what a program wants to know
      }
      if (show.isTable()) {
        System.out.println(done.size() - failed + " settled, " + failed + " not.");
      }
      return failed > 0 ? 1 : 0;
    }

    /** Asks for so many at once as one request may name. */
    private static ArrayNode asked(
        Service service, String path, Map<String, Object> settling, List<String> ids)
        throws Refused {
      ArrayNode all = new ObjectMapper().createArrayNode();
      for (int i = 0; i < ids.size(); i += AT_ONCE) {
        settling.put("ids", ids.subList(i, Math.min(i + AT_ONCE, ids.size())));
        service.post(path, settling).forEach(all::add);
      }
      return all;
    }

    /** Whole sentences: whose a key becomes must not be cut off. */
    private void table(JsonNode steps) throws Refused {
      if (show.isTable()) {
        steps.forEach(
            step ->
                System.out.println(
                    (step.path("possible").asBoolean() ? "✓ " : "✗ ")
                        + step.path("sentence").asText()));
        return;
      }
      show.list(
          steps, "Nothing to do.", column("Possible", "/possible"), column("What", "/sentence"));
    }

    private static int impossible(JsonNode steps) {
      int impossible = 0;
      for (JsonNode step : steps) {
        impossible += step.path("possible").asBoolean() ? 0 : 1;
      }
      return impossible;
    }
  }

  /** Adopts. */
  @Command(
      name = "adopt",
      mixinStandardHelpOptions = true,
      description = "Take what stands there into the books: the key, whose it is, where it stands.",
      footer = {
        "",
        "Example: tolvin finding adopt ID --identity 'Isla Renwick' --reason 'asked her'"
      })
  static final class Adopt extends Deed {
    @Option(names = "--identity", paramLabel = "NAME", description = "Whose the key is.")
    private String identity;

    @Option(
        names = "--by-suggestion",
        description = "Give each key to whom its comment suggests, where it suggests one.")
    private boolean bySuggestion;

    @Option(
        names = "--custody",
        paramLabel = "CUSTODY",
        description = "machine, device, module or elsewhere. Default: elsewhere.")
    private String custody;

    Adopt() {
      super("adopt");
    }

    @Override
    void more(Service service, Map<String, Object> settling) throws Refused {
      settling.put("bySuggestion", bySuggestion);
      settling.put("custody", custody);
      if (identity != null) {
        settling.put("identityId", IdentityCommands.id(service, identity));
      }
    }
  }

  /** Puts back. */
  @Command(
      name = "put-back",
      mixinStandardHelpOptions = true,
      description = "Make it again as the books say.",
      footer = {"", "Example: tolvin finding put-back --kind missing --reason 'overwritten'"})
  static final class PutBack extends Deed {
    PutBack() {
      super("put-back");
    }
  }

  /** Withdraws. */
  @Command(
      name = "withdraw",
      mixinStandardHelpOptions = true,
      description = {
        "Take it out. Refused where a client could not sign in any more, or where the",
        "key was used in the last 90 days by somebody of whom nothing is known."
      },
      footer = {"", "Example: tolvin finding withdraw ID --reason 'nobody knows it'"})
  static final class Withdraw extends Deed {
    @Option(
        names = "--overrule",
        description = "Also if somebody cannot sign in any more; the refusal says who.")
    private boolean overrule;

    Withdraw() {
      super("withdraw");
    }

    @Override
    void more(Service service, Map<String, Object> settling) {
      settling.put("overrule", overrule);
    }
  }

  /** Accepts. */
  @Command(
      name = "accept",
      mixinStandardHelpOptions = true,
      description = "Leave it as it is until a date, for a reason.",
      footer = {
        "",
        "Example: tolvin finding accept ID --until 2027-03-31T00:00:00Z --reason 'the yard moves'"
      })
  static final class Accept extends Deed {
    @Option(
        names = "--until",
        required = true,
        paramLabel = "MOMENT",
        description = "Until when, such as 2027-03-31T00:00:00Z.")
    private String until;

    Accept() {
      super("accept");
    }

    @Override
    void more(Service service, Map<String, Object> settling) {
      settling.put("until", until);
    }
  }
}
