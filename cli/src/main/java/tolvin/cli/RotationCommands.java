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

/** Rotations. */
@Command(
    name = "rotation",
    mixinStandardHelpOptions = true,
    description = "Rotations: list, show, plan, run, put-back, stop, accept.",
    subcommands = {
      RotationCommands.List_.class,
      RotationCommands.Show_.class,
      RotationCommands.Plan.class,
      RotationCommands.Run.class,
      RotationCommands.PutBack.class,
      RotationCommands.Stop.class,
      RotationCommands.Accept.class
    })
final class RotationCommands {
  private static final int PLANNING = 100;

  private RotationCommands() {}

  private static final Show.Column[] COLUMNS = {
    column("Identity", "/identity"),
    column("Stage", "/stage"),
    column("Aim", "/aim"),
    column("Outcome", "/outcome"),
    column("Waiting for", "/waitingFor"),
    column("Id", "/id")
  };

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
          Service.open().get("/rotations?limit=100&ended=" + !running).get("items"),
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
      JsonNode detail = service.get("/rotations/" + find(service, rotation));
      if (!show.isTable()) {
        show.one(detail, COLUMNS);
        return 0;
      }
      show.one(
          detail,
          column("Identity", "/rotation/identity"),
          column("Old key", "/rotation/oldKey"),
          column("New key", "/rotation/newKey"),
          column("Why", "/rotation/reason"),
          column("Aim", "/rotation/aim"),
          column("Outcome", "/rotation/outcome"),
          column("Waiting for", "/rotation/waitingFor"),
          column("Id", "/rotation/id"));
      show.out().println();
      show.out().println(OverlapChart.track(detail.at("/rotation/stage").asText()));
      show.out().println();
      show.out().print(OverlapChart.of(detail));
      show.out().println("Tried");
      show.list(
          detail.get("attempts"),
          "  nothing yet",
          column("At", "/startedAt"),
          column("What", "/sentence"),
          column("Outcome", "/outcome"),
          column("Reason", "/reason"));
      if (!detail.get("guards").isEmpty()) {
        show.out().println("\nGuards before the withdrawal");
        show.list(
            detail.get("guards"),
            "",
            column("Account", "/account"),
            column("Guard", "/guard"),
            column("Says", "/answer"),
            column("Why", "/reason"));
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
      String id = plan(service, key, watch, why);
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
      String id = planned(service);
      if (rehearse) {
        showChanges(service.get("/rotations/" + id + "/changes"));
        show.out().println("\nNothing was changed. Run it with: tolvin rotation run " + id);
        show.out().flush();
        return 0;
      }
      if (show.isTable()) {
        showPlan(service, show, id);
      }
      consent.ask("\nRun it?");
      JsonNode detail = service.post("/rotations/" + id + "/run", null);
      if (!noFollow) {
        detail = follow(service, show, id);
      } else if (!show.isTable()) {
        show.one(detail, COLUMNS);
      }
      return status(detail);
    }

    private String planned(Service service) throws Refused {
      for (JsonNode rotation : service.get("/rotations?ended=false&limit=500").get("items")) {
        boolean named = rotation.get("id").asText().equals(what);
        boolean held =
            rotation.path("identity").asText().equals(what)
                && rotation.get("aim").asText().equals("hold");
        if (named || held) {
          String id = rotation.get("id").asText();
          changeAsAsked(service, id);
          return id;
        }
      }
      return plan(service, what, watch, why);
    }

    /** What is asked for now counts, not what was said when it was planned. */
    private void changeAsAsked(Service service, String id) throws Refused {
      if (watch != null || why.reason != null || why.ticket != null) {
        Map<String, Object> change = new LinkedHashMap<>();
        change.put("watch", watch);
        change.put("reason", why.reason);
        change.put("ticket", why.ticket);
        service.patch("/rotations/" + id, change, null);
      }
    }

    private void showChanges(JsonNode changes) {
      if (!show.isTable()) {
        show.list(
            changes,
            "",
            column("System", "/system"),
            column("Step", "/step"),
            column("File", "/file"),
            column("Removed", "/removed"),
            column("Added", "/added"));
        return;
      }
      for (JsonNode change : changes) {
        show.out().println(change.get("step").asText() + "  " + change.get("system").asText());
        show.out().println("  in " + change.get("file").asText());
        change.get("removed").forEach(line -> show.out().println("  - " + line.asText()));
        change.get("added").forEach(line -> show.out().println("  + " + line.asText()));
        if (change.get("kept").asInt() > 0) {
          show.out()
              .println(
                  "  "
                      + change.get("kept").asInt()
                      + " other line(s) stay as they are, byte for byte");
        }
      }
    }
  }

  /** Puts a rotation back. */
  @Command(
      name = "put-back",
      mixinStandardHelpOptions = true,
      description = "Go back to the old key everywhere.",
      footer = {"", "Example: tolvin rotation put-back timetable-feed --reason 'upload failed'"})
  static final class PutBack implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;
    @Mixin private Why why;

    @Parameters(paramLabel = "ROTATION", description = "Its id, or the identity: its newest one.")
    private String rotation;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = find(service, rotation);
      consent.ask("Put the old key back everywhere?");
      service.post("/rotations/" + id + "/put-back", Map.of("reason", why.text()));
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
      JsonNode detail =
          service.post(
              "/rotations/" + find(service, rotation) + "/stop", Map.of("reason", why.text()));
      show.one(detail.get("rotation"), COLUMNS);
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
      String id = find(service, rotation);
      JsonNode now = service.get("/rotations/" + id).get("rotation");
      if (!now.hasNonNull("question")) {
        throw new Refused("The rotation asks nothing now.");
      }
      consent.ask(now.get("waitingFor").asText());
      Map<String, Object> answer = new LinkedHashMap<>();
      answer.put("question", now.get("question").asText());
      answer.put("reason", why.text());
      show.one(service.post("/rotations/" + id + "/accept", answer).get("rotation"), COLUMNS);
      return 0;
    }
  }

  private static String find(Service service, String text) throws Refused {
    for (JsonNode rotation : service.all("/rotations?limit=500")) {
      if (rotation.get("id").asText().equals(text)
          || rotation.path("identity").asText().equals(text)) {
        return rotation.get("id").asText();
      }
    }
    throw new Refused("There is no rotation “" + text + "”. List the rotations to see.");
  }

  private static String plan(Service service, String key, String watch, Why why) throws Refused {
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("keyId", KeyCommands.find(service, key).get("id").asText());
    wish.put("watch", watch);
    wish.put("reason", why.text());
    wish.put("ticket", why.ticket);
    String id = service.post("/rotations", wish).at("/rotation/id").asText();
    for (int i = 0; i < PLANNING; i++) {
      JsonNode rotation = service.get("/rotations/" + id).get("rotation");
      if (rotation.hasNonNull("newKey") && rotation.hasNonNull("waitingFor")) {
        return id;
      }
      sleep(100);
    }
    throw new Refused(
        "The plan is not ready yet. Look at it with: tolvin rotation show " + id, Main.WAITING);
  }

  private static void showPlan(Service service, Show show, String id) throws Refused {
    JsonNode plan = service.get("/rotations/" + id + "/plan");
    if (!show.isTable()) {
      show.list(plan.get("steps"), "", column("Step", "/effect"), column("What", "/sentence"));
      return;
    }
    int number = 0;
    for (JsonNode step : plan.get("steps")) {
      show.out().println(String.format("%2d  %s", ++number, step.get("sentence").asText()));
      step.get("guards").forEach(guard -> show.out().println("      only if " + guard.asText()));
    }
    if (plan.hasNonNull("obstacle")) {
      show.out().println("Then a person has to settle: " + plan.get("obstacle").asText());
    }
    show.out().flush();
  }

  private static JsonNode follow(Service service, Show show, String id) throws Refused {
    String said = "";
    String last = "";
    int shown = 0;
    while (true) {
      JsonNode detail = service.get("/rotations/" + id);
      JsonNode rotation = detail.get("rotation");
      JsonNode attempts = detail.get("attempts");
      for (;
          show.isTable()
              && shown < attempts.size()
              && !attempts.get(shown).get("outcome").asText().equals("running");
          shown++) {
        JsonNode attempt = attempts.get(shown);
        String line =
            (attempt.get("outcome").asText().equals("done") ? "✓ " : "✗ ")
                + attempt.get("sentence").asText()
                + (attempt.get("reason").asText().isEmpty()
                    ? ""
                    : ": " + attempt.get("reason").asText());
        if (!line.equals(last)) { // what is tried again, with the same end, is said once
          show.out().println(line);
          show.out().flush();
        }
        last = line;
      }
      String waiting = rotation.path("waitingFor").asText("");
      if (show.isTable() && !waiting.isEmpty() && !waiting.equals(said)) {
        show.out().println("… " + waiting);
        show.out().flush();
        said = waiting;
      }
      if (rotation.hasNonNull("outcome") || rotation.get("needsPerson").asBoolean()) {
        if (show.isTable()) {
          show.out().println(rotation.path("outcome").asText("It waits for a person."));
        } else {
          show.one(detail, COLUMNS);
        }
        show.out().flush();
        return detail;
      }
      sleep(300);
    }
  }

  private static int status(JsonNode detail) {
    return detail.at("/rotation/needsPerson").asBoolean() ? Main.WAITING : 0;
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
