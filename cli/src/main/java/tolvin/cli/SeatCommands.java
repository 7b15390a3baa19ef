package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Seats. */
@Command(
    name = "seat",
    mixinStandardHelpOptions = true,
    description = "Places where integrations keep private halves: list, show, add, change, find.",
    subcommands = {
      SeatCommands.List_.class,
      SeatCommands.Show_.class,
      SeatCommands.Add.class,
      SeatCommands.Change.class,
      SeatFind.class
    })
final class SeatCommands {
  private SeatCommands() {}

  private static final Show.Column[] COLUMNS = {
    column("Path", "/path"),
    column("Host", "/host"),
    column("Login", "/login"),
    column("Address", "/address"),
    column("Offers", "/offers"),
    column("Id", "/id")
  };

  /** Lists seats. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List seats.",
      footer = {"", "Example: tolvin seat list --output json"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(Service.open().all("/seats"), "No seats.", COLUMNS);
      return 0;
    }
  }

  /** Shows a seat with its ties: what was said of them, and what was seen. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a seat and its ties: what was said of them, and what was seen.",
      footer = {"", "Example: tolvin seat show /home/crane-app/id_crane"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "SEAT", description = "The seat's path or id.")
    private String seat;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode found = service.one("/seats", "seat", seat, "path");
      ArrayNode ties = ((ObjectNode) found).putArray("ties");
      for (JsonNode tie : service.all("/ties")) {
        if (tie.path("seatId").equals(found.path("id"))) {
          ties.add(tie);
        }
      }
      show.one(found, DETAILS);
      if (show.isTable()) {
        show.list(ties, "No ties.", TieCommands.COLUMNS);
      }
      return 0;
    }
  }

  private static final Show.Column[] DETAILS = {
    column("Path", "/path"),
    column("Host", "/host"),
    column("Login", "/login"),
    column("Address", "/address"),
    column("Offers", "/offers"),
    column("Keeps", "/keeps"),
    column("More files", "/morePaths"),
    column("Takes effect", "/takesEffect"),
    column("Command", "/effectCommand"),
    column("Took effect", "/effectAt"),
    column("Falls back, said", "/fallsBack"),
    column("Falls back, seen", "/fallsBackSeenAt"),
    column("Read at", "/readAt"),
    column("Id", "/id")
  };

  /** What can be said of a seat when it is added and later on. */
  static final class Said {
    @Option(
        names = "--more",
        paramLabel = "PATH",
        description = "A further file that its client offers behind the first; repeatable.")
    private java.util.List<String> morePaths;

    @Option(
        names = "--takes-effect",
        paramLabel = "WHEN",
        description = "next_sign_in, reload, restart, agent or by_hand. Default: next_sign_in.")
    private String takesEffect;

    @Option(
        names = "--command",
        paramLabel = "COMMAND",
        description = "What is run there, by that login, to make it take effect.")
    private String command;

    @Option(
        names = "--falls-back",
        paramLabel = "YES-OR-NO",
        description = "Whether its client goes on to the next key after a refusal: true or false.")
    private Boolean fallsBack;

    void into(Map<String, Object> wish) {
      wish.put("morePaths", morePaths);
      wish.put("takesEffect", takesEffect);
      wish.put("effectCommand", command);
      wish.put("fallsBack", fallsBack);
    }
  }

  /** Changes what was said of a seat. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = "Say anew how a seat's client behaves; what is not named stays.",
      footer = {"", "Example: tolvin seat change /home/crane-app/id_crane --falls-back true"})
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Said said;

    @Parameters(paramLabel = "SEAT", description = "The seat's path or id.")
    private String seat;

    @Option(
        names = "--address",
        paramLabel = "ADDRESS",
        description = "The address that the integration signs in from.")
    private String address;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode found = service.one("/seats", "seat", seat, "path");
      Map<String, Object> change = new LinkedHashMap<>();
      change.put("address", address);
      said.into(change);
      show.one(service.patch("/seats/" + found.get("id").asText(), change, null), DETAILS);
      return 0;
    }
  }

  /** Adds a seat. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Add a seat: a private file on a host, or a credential of a build system.",
      footer = {
        "",
        "Example: tolvin seat add 'Night build' fetch --host build.example --job nightly",
        "Example: tolvin seat add 'Crane log' /home/crane-app/id_crane --host apps.skerrymoor.example --login crane-app --address 127.0.0.24"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(index = "0", paramLabel = "INTEGRATION", description = "Name or id.")
    private String integration;

    @Parameters(
        index = "1",
        paramLabel = "PATH",
        description = "The private file on the host, or the credential's name.")
    private String path;

    @Option(
        names = "--host",
        required = true,
        paramLabel = "DESTINATION",
        description = "The SSH server or the system that it is on.")
    private String host;

    @Option(
        names = "--login",
        paramLabel = "LOGIN",
        description = "The login that Tolvin supplies it through.")
    private String login;

    @Option(
        names = "--address",
        paramLabel = "ADDRESS",
        description = "The address that the integration signs in from.")
    private String address;

    @Option(
        names = "--job",
        paramLabel = "JOB",
        description = "The job that signs in with a credential; it is run for a proof.")
    private String job;

    @Mixin private Said said;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode owner = service.one("/integrations?limit=500", "integration", integration, "name");
      JsonNode server = DestinationCommands.find(service, host);
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("hostId", server.get("id").asText());
      wish.put("login", login);
      wish.put("job", job);
      wish.put("path", path);
      wish.put("address", address);
      said.into(wish);
      show.one(service.post("/integrations/" + owner.get("id").asText() + "/seats", wish), COLUMNS);
      return 0;
    }
  }
}
