package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Sweeps: reading what is really there. */
@Command(
    name = "sweep",
    mixinStandardHelpOptions = true,
    description = "Read what is really registered on destinations, and compare it with the books.",
    subcommands = {SweepCommands.Run.class, SweepCommands.List_.class, SweepCommands.Show_.class})
final class SweepCommands {
  private static final Show.Column[] COLUMNS = {
    column("Destination", "/destination"),
    column("State", "/state"),
    column("Read", "/read"),
    column("Failed", "/failed"),
    column("Due", "/due"),
    column("Started at", "/startedAt"),
    column("Ended at", "/endedAt"),
    column("Id", "/id")
  };

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
      Map<String, Object> wish = new LinkedHashMap<>();
      String id = null;
      if (destination != null) {
        id = DestinationCommands.find(service, destination).get("id").asText();
        wish.put("destinationId", id);
      }
      JsonNode sweep = service.post("/sweeps", wish);
      String path = "/sweeps/" + sweep.get("id").asText();
      while (!noWait && sweep.path("state").asText().equals("running")) {
        if (show.isTable()) {
          System.err.printf(
              "\r%d of %d accounts read ",
              sweep.path("read").asLong(),
              sweep.path("read").asLong()
                  + sweep.path("failed").asLong()
                  + sweep.path("due").asLong());
        }
        pause();
        sweep = service.get(path);
      }
      if (show.isTable()) {
        System.err.print("\r" + " ".repeat(40) + "\r");
      }
      show.one(sweep, COLUMNS);
      if (!noWait && show.isTable()) {
        for (JsonNode failure : sweep.path("failures")) {
          System.out.println(
              "not read: "
                  + failure.path("account").asText()
                  + ": "
                  + failure.path("reason").asText());
        }
        System.out.println();
        if (sweep.path("read").asLong() + sweep.path("failed").asLong() == 0) {
          System.out.println(
              "There was no account to read, so nothing is known. Add one with: tolvin account add"
                  + " DESTINATION LOGIN");
        } else {
          FindingCommands.groups(service, show, id);
        }
      }
      return sweep.path("failed").asLong() > 0 ? 1 : 0;
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
          Service.open().get("/sweeps?limit=50").get("items"),
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
      JsonNode sweep = Service.open().get("/sweeps/" + id);
      show.one(sweep, COLUMNS);
      if (show.isTable()) {
        show.list(
            sweep.path("failures"),
            "Every account could be read.",
            column("Account", "/account"),
            column("Why not", "/reason"));
      }
      return 0;
    }
  }
}
