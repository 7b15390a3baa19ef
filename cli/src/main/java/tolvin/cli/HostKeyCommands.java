package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.time.Instant;
import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.Page;
import tolvin.api.destination.AnnouncementRequest;
import tolvin.api.destination.ConfirmationRequest;
import tolvin.api.destination.DestinationView;
import tolvin.api.destination.HealthView;
import tolvin.api.destination.HostKeyView;

/** The host keys of destinations: looked at, compared, announced. */
final class HostKeyCommands {
  private static final List<Show.Column<HostKeyView>> COLUMNS =
      columns(
          column("State", HostKeyView::state),
          column("Type", HostKeyView::type),
          column("Fingerprint", HostKeyView::fingerprint),
          column("Accepted until", HostKeyView::acceptedUntil),
          column("Seen at", HostKeyView::seenAt));

  private HostKeyCommands() {}

  private static void show(Service service, Show show, UUID id) throws Refused {
    show.list(
        service.page("/destinations/" + id + "/host-keys", HostKeyView.class).items(),
        "It has no host keys: it is not signed in to over SSH.",
        COLUMNS);
  }

  /** Looks. */
  @Command(
      name = "look",
      mixinStandardHelpOptions = true,
      description = {
        "Look at a destination now: reachable, let in, clock, and the host keys that "
            + "it shows. A host key that was only seen is not trusted."
      },
      footer = {"", "Example: tolvin destination look sftp.skerrymoor.example"})
  static final class Look implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "DESTINATION", description = "Name or id.")
    private String name;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = DestinationCommands.find(service, name).id();
      service.post("/destinations/" + id + "/looks", null, Page.class);
      DestinationView now = service.get("/destinations/" + id, DestinationView.class);
      if (show.isTable()) {
        show.one(
            now,
            column("Reachable", DestinationView::health, HealthView::reachable),
            column("Let in", DestinationView::health, HealthView::secretGood),
            column("Secret ends there", DestinationView::health, HealthView::secretEnds),
            column("Clock ahead by s", DestinationView::health, HealthView::clockAheadSeconds),
            column("Trouble", DestinationView::health, HealthView::failure),
            column("Stopped because", DestinationView::stoppedBecause));
      }
      show(service, show, id);
      boolean well =
          (now.health() == null || now.health().failure() == null) && now.stoppedBecause() == null;
      return well ? 0 : 1;
    }
  }

  /** Trusts host keys that were compared. */
  @Command(
      name = "confirm",
      mixinStandardHelpOptions = true,
      description = {
        "Trust a host key that the destination shows, by the fingerprint that its "
            + "administrator read out or sent. A fingerprint that it does not show is "
            + "refused."
      },
      footer = {
        "",
        "Example: tolvin destination confirm quay.example --fingerprint SHA256:… "
            + "--reason 'by phone'"
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
      UUID id = DestinationCommands.find(service, name).id();
      service.post("/destinations/" + id + "/looks", null, Page.class);
      service.post(
          "/destinations/" + id + "/host-keys/confirm",
          new ConfirmationRequest(fingerprints, reason),
          Page.class);
      show(service, show, id);
      return 0;
    }
  }

  /** Announces a change. */
  @Command(
      name = "announce",
      mixinStandardHelpOptions = true,
      description = {
        "Take in that host keys are going to change: the new ones are accepted from "
            + "now on, the old ones of the same types until a moment, and the clients' known "
            + "hosts get the new ones."
      },
      footer = {
        "",
        "Example: tolvin destination announce quay.example new.pub --old-until "
            + "2027-01-15T06:00:00Z"
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
    private Instant oldUntil;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = DestinationCommands.find(service, name).id();
      List<String> lines = DestinationCommands.lines(files);
      consent.ask(
          "Accept " + lines.size() + " new host key(s) for " + name + ", and tell its clients?");
      service.post(
          "/destinations/" + id + "/host-keys/announce",
          new AnnouncementRequest(lines, oldUntil, reason),
          Page.class);
      show(service, show, id);
      return 0;
    }
  }
}
