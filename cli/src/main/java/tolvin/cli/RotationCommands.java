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
import tolvin.api.ReasonRequest;
import tolvin.api.rotation.AnswerRequest;
import tolvin.api.rotation.AttemptView;
import tolvin.api.rotation.GuardView;
import tolvin.api.rotation.PlanStepView;
import tolvin.api.rotation.PlanView;
import tolvin.api.rotation.RotationChangeRequest;
import tolvin.api.rotation.RotationDetailView;
import tolvin.api.rotation.RotationRequest;
import tolvin.api.rotation.RotationView;
import tolvin.api.rotation.SystemChangeView;
import tolvin.core.rotation.Attempt;
import tolvin.core.rotation.Direction;
import tolvin.core.word.Words;

/** Rotations. */
@Command(
    name = "rotation",
    mixinStandardHelpOptions = true,
    description = "Rotations: list, show, plan, run, roll-back, stop, accept.",
    subcommands = {
      RotationCommands.List_.class,
      RotationCommands.Show_.class,
      RotationCommands.Plan.class,
      RotationCommands.Run.class,
      RotationCommands.RollBack.class,
      RotationCommands.Stop.class,
      RotationCommands.Accept.class
    })
final class RotationCommands {
  private static final int PLANNING = 100;

  private RotationCommands() {}

  private static final List<Show.Column<RotationView>> COLUMNS =
      columns(
          column("Identity", RotationView::identity),
          column("Stage", RotationView::stage),
          column("Direction", RotationView::direction),
          column("Outcome", RotationView::outcome),
          column("Waiting for", RotationView::waitingFor),
          column("Started", RotationView::startedAt),
          column("Ended", RotationView::endedAt),
          column("Id", RotationView::id));

  private static final List<Show.Column<RotationDetailView>> DETAIL =
      Show.within(RotationDetailView::rotation, COLUMNS);

  /** Lists rotations. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List rotations, the newest first.",
      footer = {"", "Example: tolvin rotation list --running"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(names = "--running", description = "Only those that are not over.")
    private boolean running;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().page("/rotations?limit=100&ended=" + !running, RotationView.class).items(),
          "No rotations.",
          COLUMNS);
      return 0;
    }
  }

  /** Shows a rotation. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a rotation: its stages, its overlap chart, its guards, what was tried.",
      footer = {"", "Example: tolvin rotation show timetable-feed"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ROTATION", description = "Its id, or the identity: its newest one.")
    private String rotation;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      RotationDetailView detail =
          service.get("/rotations/" + find(service, rotation), RotationDetailView.class);
      if (!show.isTable()) {
        show.one(detail, DETAIL);
        return 0;
      }
      show.one(
          detail,
          column("Identity", RotationDetailView::rotation, RotationView::identity),
          column("Old key", RotationDetailView::rotation, RotationView::oldKey),
          column("New key", RotationDetailView::rotation, RotationView::newKey),
          column("Why", RotationDetailView::rotation, RotationView::reason),
          column("Direction", RotationDetailView::rotation, RotationView::direction),
          column("Because", RotationDetailView::rotation, RotationView::turnedBecause),
          column("Outcome", RotationDetailView::rotation, RotationView::outcome),
          column("Waiting for", RotationDetailView::rotation, RotationView::waitingFor),
          column("Id", RotationDetailView::rotation, RotationView::id));
      show.out().println();
      show.out().println(OverlapChart.track(detail.rotation().stage()));
      show.out().println();
      show.out().print(OverlapChart.of(detail));
      show.out().println("Tried");
      show.list(
          detail.attempts(),
          "  nothing yet",
          column("At", AttemptView::startedAt),
          column("What", AttemptView::sentence),
          column("Outcome", AttemptView::outcome),
          column("Reason", AttemptView::reason));
      if (!detail.guards().isEmpty()) {
        show.out().println("\nGuards before the withdrawal");
        show.list(
            detail.guards(),
            "",
            column("Account", GuardView::account),
            column("Guard", GuardView::guard),
            column("Says", GuardView::answer),
            column("Why", GuardView::reason));
      }
      return status(detail);
    }
  }

  /** Plans a rotation. */
  @Command(
      name = "plan",
      mixinStandardHelpOptions = true,
      description = "Plan a rotation and show it; nothing outside is touched.",
      footer = {"", "Example: tolvin rotation plan timetable-feed --reason 'yearly'"})
  static final class Plan implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Why why;

    @Parameters(paramLabel = "KEY", description = "Fingerprint, identity or id.")
    private String key;

    @Option(
        names = "--watch",
        paramLabel = "DURATION",
        description = "How long the old key is watched at least; by the rule if left out.")
    private String watch;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = plan(service, key, watch, why);
      showPlan(service, show, id);
      show.out().println("\nRun it with: tolvin rotation run " + id);
      show.out().flush();
      return 0;
    }
  }

  /** Runs a rotation. */
  @Command(
      name = "run",
      mixinStandardHelpOptions = true,
      description =
          "Run a planned rotation, or plan and run one for a key, and follow it to its end.",
      footer = {
        "",
        "Example: tolvin rotation run timetable-feed --rehearse",
        "Exit status 3 when it waits for a person."
      })
  static final class Run implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;
    @Mixin private Why why;

    @Parameters(
        paramLabel = "KEY|ROTATION",
        description = "A key (fingerprint, identity or id), or a planned rotation's id.")
    private String what;

    @Option(
        names = "--watch",
        paramLabel = "DURATION",
        description = "How long the old key is watched at least; by the rule if left out.")
    private String watch;

    @Option(
        names = "--rehearse",
        description = "Show the exact changes on every system and make none.")
    private boolean rehearse;

    @Option(names = "--no-follow", description = "Come back at once.")
    private boolean noFollow;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = planned(service);
      if (rehearse) {
        showChanges(service.list("/rotations/" + id + "/changes", SystemChangeView.class));
        show.out().println("\nNothing was changed. Run it with: tolvin rotation run " + id);
        show.out().flush();
        return 0;
      }
      if (show.isTable()) {
        showPlan(service, show, id);
      }
      consent.ask("\nRun it?");
      RotationDetailView detail =
          service.post("/rotations/" + id + "/run", null, RotationDetailView.class);
      if (!noFollow) {
        detail = follow(service, show, id);
      } else if (!show.isTable()) {
        show.one(detail, DETAIL);
      }
      return status(detail);
    }

    private UUID planned(Service service) throws Refused {
      for (RotationView rotation :
          service.page("/rotations?ended=false&limit=500", RotationView.class).items()) {
        boolean named = rotation.id().toString().equals(what);
        boolean held =
            what.equals(rotation.identity()) && rotation.direction() == Direction.PLANNED;
        if (named || held) {
          changeAsAsked(service, rotation.id());
          return rotation.id();
        }
      }
      return plan(service, what, watch, why);
    }

    /** What is asked for now counts, not what was said when it was planned. */
    private void changeAsAsked(Service service, UUID id) throws Refused {
      if (watch != null || why.reason != null || why.ticket != null) {
        service.patch(
            "/rotations/" + id,
            new RotationChangeRequest(watch, why.reason, why.ticket),
            null,
            RotationDetailView.class);
      }
    }

    private void showChanges(List<SystemChangeView> changes) {
      if (!show.isTable()) {
        show.list(
            changes,
            "",
            column("System", SystemChangeView::system),
            column("Step", SystemChangeView::step),
            column("File", SystemChangeView::file),
            column("Removed", SystemChangeView::removed),
            column("Added", SystemChangeView::added));
        return;
      }
      changes.forEach(change -> Changes.show(show.out(), change));
    }
  }

  /** Rolls a rotation back. */
  @Command(
      name = "roll-back",
      mixinStandardHelpOptions = true,
      description = "Go back to the old key everywhere.",
      footer = {"", "Example: tolvin rotation roll-back timetable-feed --reason 'upload failed'"})
  static final class RollBack implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;
    @Mixin private Why why;

    @Parameters(paramLabel = "ROTATION", description = "Its id, or the identity: its newest one.")
    private String rotation;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = find(service, rotation);
      consent.ask("Roll back to the old key everywhere?");
      service.post(
          "/rotations/" + id + "/roll-back",
          new ReasonRequest(why.text()),
          RotationDetailView.class);
      return status(follow(service, show, id));
    }
  }

  /** Stops a rotation. */
  @Command(
      name = "stop",
      mixinStandardHelpOptions = true,
      description = "Stop a rotation where it is; run goes on.",
      footer = {"", "Example: tolvin rotation stop timetable-feed --reason 'ask the owner first'"})
  static final class Stop implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Why why;

    @Parameters(paramLabel = "ROTATION", description = "Its id, or the identity: its newest one.")
    private String rotation;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      RotationDetailView detail =
          service.post(
              "/rotations/" + find(service, rotation) + "/stop",
              new ReasonRequest(why.text()),
              RotationDetailView.class);
      show.one(detail.rotation(), COLUMNS);
      return 0;
    }
  }

  /** Answers a rotation's question. */
  @Command(
      name = "accept",
      mixinStandardHelpOptions = true,
      description = "Answer the question that a rotation asks with yes.",
      footer = {
        "",
        "Example: tolvin rotation accept fuel-feed --reason 'asked the harbour office'"
      })
  static final class Accept implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;
    @Mixin private Why why;

    @Parameters(paramLabel = "ROTATION", description = "Its id, or the identity: its newest one.")
    private String rotation;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = find(service, rotation);
      RotationView now = service.get("/rotations/" + id, RotationDetailView.class).rotation();
      if (now.question() == null) {
        throw new Refused("The rotation asks nothing now.");
      }
      consent.ask(now.waitingFor());
      AnswerRequest answer = new AnswerRequest(now.question(), why.text());
      show.one(
          service.post("/rotations/" + id + "/accept", answer, RotationDetailView.class).rotation(),
          COLUMNS);
      return 0;
    }
  }

  private static UUID find(Service service, String text) throws Refused {
    for (RotationView rotation : service.all("/rotations?limit=500", RotationView.class)) {
      if (rotation.id().toString().equals(text) || text.equals(rotation.identity())) {
        return rotation.id();
      }
    }
    throw new Refused("There is no rotation “" + text + "”. List the rotations to see.");
  }

  private static UUID plan(Service service, String key, String watch, Why why) throws Refused {
    RotationRequest wanted =
        new RotationRequest(KeyCommands.find(service, key).id(), watch, why.text(), why.ticket);
    UUID id = service.post("/rotations", wanted, RotationDetailView.class).rotation().id();
    for (int i = 0; i < PLANNING; i++) {
      RotationView rotation = service.get("/rotations/" + id, RotationDetailView.class).rotation();
      if (rotation.newKey() != null && rotation.waitingFor() != null) {
        return id;
      }
      sleep(100);
    }
    throw new Refused(
        "The plan is not ready yet. Look at it with: tolvin rotation show " + id, Main.WAITING);
  }

  private static void showPlan(Service service, Show show, UUID id) throws Refused {
    PlanView plan = service.get("/rotations/" + id + "/plan", PlanView.class);
    if (!show.isTable()) {
      show.list(
          plan.steps(),
          "",
          column("Step", PlanStepView::effect),
          column("What", PlanStepView::sentence));
      return;
    }
    int number = 0;
    for (PlanStepView step : plan.steps()) {
      show.out().println(String.format("%2d  %s", ++number, step.sentence()));
      step.guards().forEach(guard -> show.out().println("      only if " + guard));
    }
    if (plan.obstacle() != null) {
      show.out().println("Then a person has to settle: " + plan.obstacle());
    }
    show.out().flush();
  }

  private static RotationDetailView follow(Service service, Show show, UUID id) throws Refused {
    String said = "";
    String last = "";
    int shown = 0;
    while (true) {
      RotationDetailView detail = service.get("/rotations/" + id, RotationDetailView.class);
      RotationView rotation = detail.rotation();
      List<AttemptView> attempts = detail.attempts();
      for (;
          show.isTable()
              && shown < attempts.size()
              && attempts.get(shown).outcome() != Attempt.Outcome.RUNNING;
          shown++) {
        AttemptView attempt = attempts.get(shown);
        String line =
            (attempt.outcome() == Attempt.Outcome.DONE ? "✓ " : "✗ ")
                + attempt.sentence()
                + (attempt.reason().isEmpty() ? "" : ": " + attempt.reason());
        if (!line.equals(last)) { // what is tried again, with the same end, is said once
          show.out().println(line);
          show.out().flush();
        }
        last = line;
      }
      String waiting = rotation.waitingFor() == null ? "" : rotation.waitingFor();
      if (show.isTable() && !waiting.isEmpty() && !waiting.equals(said)) {
        show.out().println("… " + waiting);
        show.out().flush();
        said = waiting;
      }
      if (rotation.outcome() != null || rotation.needsPerson()) {
        if (show.isTable()) {
          show.out()
              .println(
                  rotation.outcome() == null
                      ? "It waits for a person."
                      : Words.said(rotation.outcome()));
        } else {
          show.one(detail, DETAIL);
        }
        show.out().flush();
        return detail;
      }
      sleep(300);
    }
  }

  private static int status(RotationDetailView detail) {
    return detail.rotation().needsPerson() ? Main.WAITING : 0;
  }

  private static void sleep(int millis) throws Refused {
    try {
      TimeUnit.MILLISECONDS.sleep(millis);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new Refused("Interrupted.");
    }
  }

  /** Why something is done, kept in the journal. */
  static final class Why {
    @Option(names = "--reason", paramLabel = "TEXT", description = "Why, for the journal.")
    private String reason;

    @Option(
        names = "--ticket",
        paramLabel = "NUMBER",
        description = "A ticket's number, for the journal.")
    private String ticket;

    /** The reason, or that somebody asked for it here. */
    String text() {
      return reason == null ? "asked for on the command line" : reason;
    }
  }
}
