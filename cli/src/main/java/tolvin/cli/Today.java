package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** What needs a person now. */
@Command(
    name = "today",
    mixinStandardHelpOptions = true,
    description = "What needs a person now, what runs, what is due.",
    footer = {"", "Example: tolvin today", "Exit status 3 when something waits for a person."})
final class Today implements Callable<Integer> {
  @Mixin private Show show;

  @Override
  public Integer call() throws Refused {
    JsonNode today = Service.open().get("/today");
    if (!show.isTable()) {
      show.one(today, column("now", "/now"), column("keys", "/keys"));
      return today.get("needs").isEmpty() ? 0 : Main.WAITING;
    }
    show.out().println("Needs a person");
    show.list(today.get("needs"), "  nothing", column("What", "/title"), column("Why", "/reason"));
    show.out().println("\nRunning");
    show.list(
        today.get("running"),
        "  nothing",
        column("Identity", "/identity"),
        column("Stage", "/stage"),
        column("Waiting for", "/waitingFor"));
    show.out().println("\nDone since yesterday");
    show.list(
        today.get("doneSinceYesterday"),
        "  nothing",
        column("Identity", "/identity"),
        column("Outcome", "/outcome"),
        column("By itself", "/byItself"),
        column("At", "/endedAt"));
    show.out().println("\nDue in the next 30 days");
    show.list(
        today.get("due"), "  nothing", column("Identity", "/identity"), column("Why", "/reason"));
    return today.get("needs").isEmpty() ? 0 : Main.WAITING;
  }
}
