package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Ties. */
@Command(
    name = "tie",
    mixinStandardHelpOptions = true,
    description = "Seats signing in to accounts: list, add.",
    subcommands = {TieCommands.List_.class, TieCommands.Add.class, TieCommands.Change.class})
final class TieCommands {
  private TieCommands() {}

  static final Show.Column[] COLUMNS = {
    column("Integration", "/integration"),
    column("Account", "/account"),
    column("Seat", "/seat"),
    column("Rhythm", "/rhythm"),
    column("seen", "/rhythmSeen"),
    column("Longest run", "/longestRun"),
    column("seen", "/longestRunSeen")
  };

  /** Lists ties. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List ties.",
      footer = {"", "Example: tolvin tie list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(Service.open().all("/ties"), "No ties.", COLUMNS);
      return 0;
    }
  }

  /** Adds a tie. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Say that a seat signs in to an account.",
      footer = {"", "Example: tolvin tie add SEAT-ID crane@sftp.skerrymoor.example --rhythm PT24H"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(index = "0", paramLabel = "SEAT", description = "The seat's path or id.")
    private String seat;

    @Parameters(index = "1", paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Option(
        names = "--rhythm",
        required = true,
        paramLabel = "DURATION",
        description = "The longest silence that is normal, such as PT24H.")
    private String rhythm;

    @Option(
        names = "--longest-run",
        defaultValue = "PT0S",
        paramLabel = "DURATION",
        description = "How long one connection may last. Default: PT0S.")
    private String longestRun;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String from = service.one("/seats", "seat", seat, "path").get("id").asText();
      String to = AccountCommands.find(service, account).get("id").asText();
      show.one(
          service.post(
              "/seats/" + from + "/ties",
              Map.of("accountId", to, "rhythm", rhythm, "longestRun", longestRun)),
          COLUMNS);
      return 0;
    }
  }

  /** Says anew how long silences and connections may be. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = "Say anew how long a tie may be silent and one connection may last.",
      footer = {
        "",
        "Example: tolvin tie change TIE-ID --rhythm P7D",
        "Example: tolvin tie change TIE-ID --forget-learned"
      })
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "TIE", description = "The tie's id: tolvin tie list --output json.")
    private String tie;

    @Option(
        names = "--rhythm",
        paramLabel = "DURATION",
        description = "The longest silence that is normal, such as PT24H.")
    private String rhythm;

    @Option(
        names = "--longest-run",
        paramLabel = "DURATION",
        description = "How long one connection may last.")
    private String longestRun;

    @Option(
        names = "--forget-learned",
        description =
            "Forget how long its silences and connections were seen to be, such as after an outage"
                + " that was taken for one; they are learned anew.")
    private boolean forgetLearned;

    @Override
    public Integer call() throws Refused {
      Map<String, Object> change = new LinkedHashMap<>();
      change.put("forgetLearned", forgetLearned);
      change.put("rhythm", rhythm);
      change.put("longestRun", longestRun);
      show.one(Service.open().patch("/ties/" + Service.query(tie), change, null), COLUMNS);
      return 0;
    }
  }
}
