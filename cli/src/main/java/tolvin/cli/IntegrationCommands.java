package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.integration.IntegrationRequest;
import tolvin.api.integration.IntegrationView;
import tolvin.core.estate.Importance;

/** Integrations. */
@Command(
    name = "integration",
    mixinStandardHelpOptions = true,
    description = "Client systems that must not break: list, add.",
    subcommands = {IntegrationCommands.List_.class, IntegrationCommands.Add.class})
final class IntegrationCommands {
  private IntegrationCommands() {}

  private static final List<Show.Column<IntegrationView>> COLUMNS =
      columns(
          column("Name", IntegrationView::name),
          column("Owner", IntegrationView::owner),
          column("Importance", IntegrationView::importance),
          column("Environment", IntegrationView::environment));

  /** The integration that a text names, by its name or id. */
  static IntegrationView find(Service service, String text) throws Refused {
    return service.one(
        service.all("/integrations?limit=500", IntegrationView.class),
        "integration",
        text,
        IntegrationView::id,
        List.of(IntegrationView::name));
  }

  /** Lists integrations. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List integrations.",
      footer = {"", "Example: tolvin integration list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/integrations?limit=500", IntegrationView.class),
          "No integrations. Add one with: tolvin integration add NAME --owner TEAM",
          COLUMNS);
      return 0;
    }
  }

  /** Adds an integration. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Add an integration.",
      footer = {"", "Example: tolvin integration add 'Crane log' --owner 'Shore systems'"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "NAME", description = "Its name.")
    private String name;

    @Option(names = "--owner", required = true, paramLabel = "TEAM", description = "Who owns it.")
    private String owner;

    @Option(
        names = "--importance",
        defaultValue = "normal",
        paramLabel = "WORD",
        description = "low, normal or high. Default: normal.")
    private Importance importance;

    @Option(
        names = "--environment",
        defaultValue = "production",
        paramLabel = "TEXT",
        description = "Default: production.")
    private String environment;

    @Override
    public Integer call() throws Refused {
      show.one(
          Service.open()
              .post(
                  "/integrations",
                  new IntegrationRequest(name, owner, importance, environment),
                  IntegrationView.class),
          COLUMNS);
      return 0;
    }
  }
}
