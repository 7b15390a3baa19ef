package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.integration.TieChangeRequest;
import tolvin.api.integration.TieRequest;
import tolvin.api.integration.TieView;

/** Ties. */
@Command(
    name = "tie",
    mixinStandardHelpOptions = true,
    description = "Seats signing in to accounts: list, add.",
    subcommands = {TieCommands.List_.class, TieCommands.Add.class, TieCommands.Change.class})
final class TieCommands {
  private TieCommands() {}

  static final List<Show.Column<TieView>> COLUMNS =
      columns(
          column("Integration", TieView::integration),
          column("Account", TieView::account),
          column("Seat", TieView::seat),
          column("Expected interval", TieView::expectedInterval),
          column("Longest silence seen", TieView::intervalSeen),
          column("Longest session", TieView::longestSession),
          column("Longest session seen", TieView::longestSessionSeen));

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
      show.list(Service.open().all("/ties", TieView.class), "No ties.", COLUMNS);
      return 0;
    }
  }

  /** Adds a tie. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Say that a seat signs in to an account.",
      footer = {
        "",
        "Example: tolvin tie add SEAT-ID crane@sftp.skerrymoor.example --expected-interval PT24H"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(index = "0", paramLabel = "SEAT", description = "The seat's path or id.")
    private String seat;

    @Parameters(index = "1", paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Option(
        names = "--expected-interval",
        required = true,
        paramLabel = "DURATION",
        description = "The longest silence that is normal, such as PT24H.")
    private String expectedInterval;

    @Option(
        names = "--longest-session",
        defaultValue = "PT0S",
        paramLabel = "DURATION",
        description = "How long one connection may last. Default: PT0S.")
    private String longestSession;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID from = SeatCommands.find(service, seat).id();
      UUID to = AccountCommands.find(service, account).id();
      show.one(
          service.post(
              "/seats/" + from + "/ties",
              new TieRequest(to, expectedInterval, longestSession),
              TieView.class),
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
        "Example: tolvin tie change TIE-ID --expected-interval P7D",
        "Example: tolvin tie change TIE-ID --forget-learned"
      })
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "TIE", description = "The tie's id: tolvin tie list --output json.")
    private String tie;

    @Option(
        names = "--expected-interval",
        paramLabel = "DURATION",
        description = "The longest silence that is normal, such as PT24H.")
    private String expectedInterval;

    @Option(
        names = "--longest-session",
        paramLabel = "DURATION",
        description = "How long one connection may last.")
    private String longestSession;

    @Option(
        names = "--forget-learned",
        description =
            "Forget how long its silences and connections were seen to be, such as after an outage"
                + " that was taken for one; they are learned anew.")
    private boolean forgetLearned;

    @Override
    public Integer call() throws Refused {
      TieChangeRequest change =
          new TieChangeRequest(expectedInterval, longestSession, forgetLearned);
      show.one(
          Service.open().patch("/ties/" + Service.query(tie), change, null, TieView.class),
          COLUMNS);
      return 0;
    }
  }
}
