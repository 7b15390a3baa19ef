package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Identities. */
@Command(
    name = "identity",
    mixinStandardHelpOptions = true,
    description = "Persons and service accounts: list, add.",
    subcommands = {IdentityCommands.List_.class, IdentityCommands.Add.class})
final class IdentityCommands {
  private IdentityCommands() {}

  /** The id of the identity that a text names, by its name or id. */
  static String id(Service service, String text) throws Refused {
    return service.one("/identities?limit=500", "identity", text, "name").get("id").asText();
  }

  private static final Show.Column[] COLUMNS = {
    column("Name", "/name"),
    column("Kind", "/kind"),
    column("Team", "/team"),
    column("Responsible", "/responsible")
  };

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
          Service.open().all("/identities?limit=500"),
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
        defaultValue = "service_account",
        paramLabel = "KIND",
        description = "person or service_account. Default: service_account.")
    private String kind;

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
                  Map.of("name", name, "kind", kind, "team", team, "responsible", responsible)),
          COLUMNS);
      return 0;
    }
  }
}
