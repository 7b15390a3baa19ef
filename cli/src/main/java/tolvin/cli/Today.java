package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import tolvin.api.rotation.RotationView;
import tolvin.api.today.DoneView;
import tolvin.api.today.DueKeyView;
import tolvin.api.today.NeedView;
import tolvin.api.today.TodayView;

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
    TodayView today = Service.open().get("/today", TodayView.class);
    if (!show.isTable()) {
      show.one(today, column("Now", TodayView::now), column("Keys", TodayView::keys));
      return today.needs().isEmpty() ? 0 : Main.WAITING;
    }
    show.out().println("Needs a person");
    show.list(
        today.needs(),
        "  nothing",
        column("What", NeedView::title),
        column("Why", NeedView::reason));
    show.out().println("\nRunning");
    show.list(
        today.running(),
        "  nothing",
        column("Identity", RotationView::identity),
        column("Stage", RotationView::stage),
        column("Waiting for", RotationView::waitingFor));
    show.out().println("\nDone since yesterday");
    show.list(
        today.doneSinceYesterday(),
        "  nothing",
        column("Identity", DoneView::rotation, RotationView::identity),
        column("Outcome", DoneView::rotation, RotationView::outcome),
        column("By itself", DoneView::rotation, RotationView::byItself),
        column("Times", DoneView::times),
        column("Last", DoneView::rotation, RotationView::endedAt));
    show.out().println("\nDue in the next 30 days");
    show.list(
        today.due(),
        "  nothing",
        column("Identity", DueKeyView::identity),
        column("Why", DueKeyView::reason));
    return today.needs().isEmpty() ? 0 : Main.WAITING;
  }
}
