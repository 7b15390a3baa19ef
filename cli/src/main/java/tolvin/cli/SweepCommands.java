package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.sweep.NotReadView;
import tolvin.api.sweep.SweepRequest;
import tolvin.api.sweep.SweepView;
import tolvin.core.sweep.SweepState;

/** Sweeps: reading what is really there. */
@Command(
    name = "sweep",
    mixinStandardHelpOptions = true,
    description = "Read what is really registered on destinations, and compare it with the record.",
    subcommands = {SweepCommands.Run.class, SweepCommands.List_.class, SweepCommands.Show_.class})
final class SweepCommands {
  private static final List<Show.Column<SweepView>> COLUMNS =
      columns(
          column("Destination", SweepView::destination),
          column("State", SweepView::state),
          column("Read", SweepView::read),
          column("Failed", SweepView::failed),
          column("Due", SweepView::due),
          column("Started at", SweepView::startedAt),
          column("Ended at", SweepView::endedAt),
          column("Id", SweepView::id));

  private SweepCommands() {}

  /** Starts one and follows it. */
  @Command(
      name = "run",
      mixinStandardHelpOptions = true,
      description = "Sweep a destination, or all of them, and show what was found.",
      footer = {"", "Example: tolvin sweep run sftp.skerrymoor.example"})
  static final class Run implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        arity = "0..1",
        paramLabel = "DESTINATION",
        description = "Name or id; all destinations if absent.")
    private String destination;

    @Option(names = "--no-wait", description = "Start it, and do not wait until it is done.")
    private boolean noWait;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = destination == null ? null : DestinationCommands.find(service, destination).id();
      SweepView sweep = service.post("/sweeps", new SweepRequest(id), SweepView.class);
      String path = "/sweeps/" + sweep.id();
      while (!noWait && sweep.state() == SweepState.RUNNING) {
        if (show.isTable()) {
          System.err.printf(
              "\r%d of %d accounts read ",
              sweep.read(), sweep.read() + sweep.failed() + sweep.due());
        }
        pause();
        sweep = service.get(path, SweepView.class);
      }
      if (show.isTable()) {
        System.err.print("\r" + " ".repeat(40) + "\r");
      }
      show.one(sweep, COLUMNS);
      if (!noWait && show.isTable()) {
        for (NotReadView failure : sweep.failures()) {
          System.out.println("not read: " + failure.account() + ": " + failure.reason());
        }
        System.out.println();
        if (sweep.read() + sweep.failed() == 0) {
          System.out.println(
              "There was no account to read, so nothing is known. Add one with: tolvin account add"
                  + " DESTINATION LOGIN");
        } else {
          FindingCommands.groups(service, show, id);
        }
      }
      return sweep.failed() > 0 ? 1 : 0;
    }

    private static void pause() throws Refused {
      try {
        TimeUnit.MILLISECONDS.sleep(300);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new Refused("Interrupted; the sweep goes on.");
      }
    }
  }

  /** Lists sweeps. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List sweeps, the newest first.",
      footer = {"", "Example: tolvin sweep list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().page("/sweeps?limit=50", SweepView.class).items(),
          "No sweeps yet. Start one with: tolvin sweep run",
          COLUMNS);
      return 0;
    }
  }

  /** Shows one. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a sweep, with the accounts that could not be read.",
      footer = {"", "Example: tolvin sweep show ID"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ID", description = "The sweep's id.")
    private String id;

    @Override
    public Integer call() throws Refused {
      SweepView sweep = Service.open().get("/sweeps/" + id, SweepView.class);
      show.one(sweep, COLUMNS);
      if (show.isTable()) {
        show.list(
            sweep.failures(),
            "Every account could be read.",
            column("Account", NotReadView::account),
            column("Why not", NotReadView::reason));
      }
      return 0;
    }
  }
}
