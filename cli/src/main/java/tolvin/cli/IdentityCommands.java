package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.identity.IdentityRequest;
import tolvin.api.identity.IdentityView;
import tolvin.core.estate.IdentityKind;

/** Identities. */
@Command(
    name = "identity",
    mixinStandardHelpOptions = true,
    description = "Persons and service accounts: list, add.",
    subcommands = {IdentityCommands.List_.class, IdentityCommands.Add.class})
final class IdentityCommands {
  private IdentityCommands() {}

  /** The id of the identity that a text names, by its name or id. */
  static UUID id(Service service, String text) throws Refused {
    return service
        .one(
            service.all("/identities?limit=500", IdentityView.class),
            "identity",
            text,
            IdentityView::id,
            List.of(IdentityView::name))
        .id();
  }

  private static final List<Show.Column<IdentityView>> COLUMNS =
      columns(
          column("Name", IdentityView::name),
          column("Kind", IdentityView::kind),
          column("Team", IdentityView::team),
          column("Responsible", IdentityView::responsible));

  /** Lists identities. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List identities.",
      footer = {"", "Example: tolvin identity list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/identities?limit=500", IdentityView.class),
          "No identities. Add one with: tolvin identity add NAME --team TEAM --responsible PERSON",
          COLUMNS);
      return 0;
    }
  }

  /** Adds an identity. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Add an identity.",
      footer = {
        "",
        "Example: tolvin identity add crane-feed --team 'Shore systems' --responsible 'Isla Renwick'"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "NAME", description = "Its name.")
    private String name;

    @Option(
        names = "--kind",
        defaultValue = "service-account",
        paramLabel = "KIND",
        description = "person or service-account. Default: service-account.")
    private IdentityKind kind;

    @Option(
        names = "--team",
        required = true,
        paramLabel = "TEAM",
        description = "The owning team.")
    private String team;

    @Option(
        names = "--responsible",
        required = true,
        paramLabel = "PERSON",
        description = "The responsible person.")
    private String responsible;

    @Override
    public Integer call() throws Refused {
      show.one(
          Service.open()
              .post(
                  "/identities",
                  new IdentityRequest(kind, name, team, responsible),
                  IdentityView.class),
          COLUMNS);
      return 0;
    }
  }
}
