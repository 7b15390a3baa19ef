package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** The host keys of destinations: looked at, compared, announced. */
final class HostKeyCommands {
  private static final Show.Column[] COLUMNS = {
    column("State", "/state"),
    column("Type", "/type"),
    column("Fingerprint", "/fingerprint"),
    column("Accepted until", "/acceptedUntil"),
    column("Seen at", "/seenAt")
  };

  private HostKeyCommands() {}

  private static void show(Service service, Show show, String id) throws Refused {
    show.list(
        service.get("/destinations/" + id + "/host-keys").get("items"),
        "It has no host keys: it is not signed in to over SSH.",
        COLUMNS);
  }

  /** Looks. */
  @Command(
      name = "look",
      mixinStandardHelpOptions = true,
      description = {
        "Look at a destination now: reachable, let in, clock, and the host keys that it shows. A host",
        "key that was only seen is not trusted."
      },
      footer = {"", "Example: tolvin destination look sftp.skerrymoor.example"})
  static final class Look implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = DestinationCommands.find(service, name).get("id").asText();
      service.post("/destinations/" + id + "/looks", Map.of());
      JsonNode now = service.get("/destinations/" + id);
      if (show.isTable()) {
        show.one(
            now,
            column("Reachable", "/health/reachable"),
            column("Let in", "/health/secretGood"),
            column("Secret ends there", "/health/secretEnds"),
            column("Clock ahead by s", "/health/clockAheadSeconds"),
            column("Trouble", "/health/failure"),
            column("Stopped because", "/stoppedBecause"));
      }
      show(service, show, id);
      boolean well = !now.path("health").hasNonNull("failure") && !now.hasNonNull("stoppedBecause");
      return well ? 0 : 1;
    }
  }

  /** Trusts host keys that were compared. */
  @Command(
      name = "confirm",
      mixinStandardHelpOptions = true,
      description = {
        "Trust a host key that the destination shows, by the fingerprint that its administrator read",
        "out or sent. A fingerprint that it does not show is refused."
      },
      footer = {
        "",
        "Example: tolvin destination confirm quay.example --fingerprint SHA256:… --reason 'by phone'"
      })
  static final class Confirm implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Option(
        names = "--fingerprint",
        required = true,
        paramLabel = "FINGERPRINT",
        description = "As it was read out, in either notation; repeatable.")
    private List<String> fingerprints;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "How it was compared, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = DestinationCommands.find(service, name).get("id").asText();
      service.post("/destinations/" + id + "/looks", Map.of());
      service.post(
          "/destinations/" + id + "/host-keys/confirm",
          Map.of("fingerprints", fingerprints, "reason", reason));
      show(service, show, id);
      return 0;
    }
  }

  /** Announces a change. */
  @Command(
      name = "announce",
      mixinStandardHelpOptions = true,
      description = {
        "Take in that host keys are going to change: the new ones are accepted from now on, the old",
        "ones of the same types until a moment, and the clients' known hosts get the new ones."
      },
      footer = {
        "",
        "Example: tolvin destination announce quay.example new.pub --old-until 2027-01-15T06:00:00Z"
            + " --reason 'new hardware'"
      })
  static final class Announce implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(index = "0", paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Parameters(
        index = "1..*",
        arity = "1..*",
        paramLabel = "FILE",
        description = "The new host keys.")
    private List<String> files;

    @Option(
        names = "--old-until",
        required = true,
        paramLabel = "MOMENT",
        description = "Until when the old ones are accepted.")
    private String oldUntil;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = DestinationCommands.find(service, name).get("id").asText();
      List<String> lines = DestinationCommands.lines(files);
      consent.ask(
          "Accept " + lines.size() + " new host key(s) for " + name + ", and tell its clients?");
      service.post(
          "/destinations/" + id + "/host-keys/announce",
          Map.of("hostKeys", lines, "oldUntil", oldUntil, "reason", reason));
      show(service, show, id);
      return 0;
    }
  }
}
