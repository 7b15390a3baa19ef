package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.time.Instant;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.schedule.FreezeRequest;
import tolvin.api.schedule.FreezeView;

/** Freezes. */
@Command(
    name = "freeze",
    mixinStandardHelpOptions = true,
    description = "Spans in which nothing may be changed: list, add, remove.",
    subcommands = {
      FreezeCommands.List_.class,
      FreezeCommands.Add.class,
      FreezeCommands.Remove.class
    })
final class FreezeCommands {
  private FreezeCommands() {}

  private static final List<Show.Column<FreezeView>> COLUMNS =
      columns(
          column("From", FreezeView::from),
          column("Until", FreezeView::until),
          column("Reason", FreezeView::reason),
          column("Id", FreezeView::id));

  /** Lists freezes. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List freezes that are not over.",
      footer = {"", "Example: tolvin freeze list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(Service.open().all("/freezes", FreezeView.class), "No freezes.", COLUMNS);
      return 0;
    }
  }

  /** Adds a freeze. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Add a freeze.",
      footer = {
        "",
        "Example: tolvin freeze add 2026-12-20T00:00:00Z 2027-01-04T00:00:00Z --reason 'year-end sailings'"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(index = "0", paramLabel = "FROM", description = "Its beginning, ISO 8601.")
    private Instant from;

    @Parameters(index = "1", paramLabel = "UNTIL", description = "Its end, ISO 8601.")
    private Instant until;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      show.one(
          Service.open().post("/freezes", new FreezeRequest(from, until, reason), FreezeView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Lifts a freeze. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Lift a freeze.",
      footer = {"", "Example: tolvin freeze remove ID"})
  static final class Remove implements Callable<Integer> {
    @Parameters(paramLabel = "ID", description = "Its id.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service.open().delete("/freezes/" + Service.query(id));
      return 0;
    }
  }
}
