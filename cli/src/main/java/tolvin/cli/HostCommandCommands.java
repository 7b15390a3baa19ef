package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.command.HostCommandRequest;
import tolvin.api.command.HostCommandView;

/** Commands that may be run on hosts. */
@Command(
    name = "command",
    mixinStandardHelpOptions = true,
    description = "Commands that may be run on hosts, such as a reload: list, add, remove.",
    subcommands = {
      HostCommandCommands.List_.class,
      HostCommandCommands.Add.class,
      HostCommandCommands.Remove.class
    })
final class HostCommandCommands {
  private HostCommandCommands() {}

  private static final List<Show.Column<HostCommandView>> COLUMNS =
      columns(
          column("Command", HostCommandView::command),
          column("What for", HostCommandView::reason),
          column("Approved by", HostCommandView::approvedBy),
          column("Approved", HostCommandView::approvedAt),
          column("Uses", HostCommandView::uses),
          column("Id", HostCommandView::id));

  /** Lists them. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the commands that may be run, and how many seats and servers use each.",
      footer = {"", "Example: tolvin command list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/host-commands", HostCommandView.class),
          "No commands may be run on hosts.",
          COLUMNS);
      return 0;
    }
  }

  /** Approves one. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description =
          "Approve a command, word by word. Only then can a seat or a server name it. It asks for"
              + " your password.",
      footer = {
        "",
        "Example: tolvin command add 'systemctl reload fuel-feed' --reason 'the fuel feed keeps its key'"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "COMMAND", description = "The whole command, in quotes.")
    private String command;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "What for.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      show.one(
          Service.open()
              .post(
                  "/host-commands", new HostCommandRequest(command, reason), HostCommandView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Takes an approval back. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Take an approval back. What still names the command fails when it is run.",
      footer = {"", "Example: tolvin command remove ID"})
  static final class Remove implements Callable<Integer> {
    @Parameters(
        paramLabel = "ID",
        description = "Its id, or the beginning of it that the list shows.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service.open()
          .remove("/host-commands", HostCommandView.class, HostCommandView::id, "command", id);
      return 0;
    }
  }
}
