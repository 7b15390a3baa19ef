package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import com.fasterxml.jackson.annotation.JsonUnwrapped;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.integration.IntegrationView;
import tolvin.api.integration.SeatChangeRequest;
import tolvin.api.integration.SeatRequest;
import tolvin.api.integration.SeatView;
import tolvin.api.integration.TieView;
import tolvin.core.estate.TakesEffect;

/** Seats. */
@Command(
    name = "seat",
    mixinStandardHelpOptions = true,
    description = "Places where integrations keep private keys: list, show, add, change, find.",
    subcommands = {
      SeatCommands.List_.class,
      SeatCommands.Show_.class,
      SeatCommands.Add.class,
      SeatCommands.Change.class,
      SeatFind.class
    })
final class SeatCommands {
  private SeatCommands() {}

  private static final List<Show.Column<SeatView>> COLUMNS =
      columns(
          column("Path", SeatView::path),
          column("Host", SeatView::host),
          column("Login", SeatView::login),
          column("Address", SeatView::address),
          column("Offers", SeatView::offers),
          column("Id", SeatView::id));

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
      show.list(Service.open().all("/seats", SeatView.class), "No seats.", COLUMNS);
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
      SeatView found = find(service, seat);
      List<TieView> ties =
          service.all("/ties", TieView.class).stream()
              .filter(tie -> tie.seatId().equals(found.id()))
              .toList();
      show.one(new WithTies(found, ties), Show.within(WithTies::seat, DETAILS));
      if (show.isTable()) {
        show.list(ties, "No ties.", TieCommands.COLUMNS);
      }
      return 0;
    }
  }

  private static final List<Show.Column<SeatView>> DETAILS =
      columns(
          column("Path", SeatView::path),
          column("Host", SeatView::host),
          column("Login", SeatView::login),
          column("Address", SeatView::address),
          column("Offers", SeatView::offers),
          column("Keeps", SeatView::keeps),
          column("More files", SeatView::morePaths),
          column("Takes effect", SeatView::takesEffect),
          column("Command", SeatView::effectCommand),
          column("Took effect", SeatView::effectAt),
          column("Falls back, said", SeatView::fallsBack),
          column("Falls back, seen", SeatView::fallsBackSeenAt),
          column("Read at", SeatView::readAt),
          column("Id", SeatView::id));

  /** A seat with its ties. */
  private record WithTies(@JsonUnwrapped SeatView seat, List<TieView> ties) {}

  /** The seat that a text names, by its path or id. */
  static SeatView find(Service service, String text) throws Refused {
    return service.one(
        service.all("/seats", SeatView.class), "seat", text, SeatView::id, List.of(SeatView::path));
  }

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
        description = "next-sign-in, reload, restart, agent or by-hand. Default: next-sign-in.")
    private TakesEffect takesEffect;

    @Option(
        names = "--command",
        paramLabel = "COMMAND",
        description = "What is run there, by that login, to make it take effect.")
    private String command;

    @Option(
        names = "--falls-back",
        arity = "1",
        paramLabel = "YES-OR-NO",
        description = "Whether its client goes on to the next key after a refusal: true or false.")
    private Boolean fallsBack;
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
      SeatChangeRequest change =
          new SeatChangeRequest(
              address, said.morePaths, said.takesEffect, said.command, said.fallsBack);
      show.one(
          service.patch("/seats/" + find(service, seat).id(), change, null, SeatView.class),
          DETAILS);
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
      IntegrationView owner = IntegrationCommands.find(service, integration);
      SeatRequest wanted =
          new SeatRequest(
              DestinationCommands.find(service, host).id(),
              null,
              login,
              job,
              path,
              address,
              said.morePaths,
              said.takesEffect,
              said.command,
              said.fallsBack);
      show.one(
          service.post("/integrations/" + owner.id() + "/seats", wanted, SeatView.class), COLUMNS);
      return 0;
    }
  }
}
