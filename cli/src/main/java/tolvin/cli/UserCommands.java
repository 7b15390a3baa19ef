package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Users. */
@Command(
    name = "user",
    mixinStandardHelpOptions = true,
    description = "Who may sign in to Tolvin: list, add.",
    subcommands = {UserCommands.List_.class, UserCommands.Add.class})
final class UserCommands {
  private UserCommands() {}

  /** Lists users. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List users.",
      footer = {"", "Example: tolvin user list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/users"),
          "No users.",
          column("Login", "/login"),
          column("Name", "/name"),
          column("Role", "/role"),
          column("Id", "/id"));
      return 0;
    }
  }

  /** Adds a user. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Let a person in, who then sees and proves their own keys.",
      footer = {"", "Example: tolvin user add isla --identity 'Isla Renwick'"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "LOGIN", description = "What they sign in with.")
    private String login;

    @Option(
        names = "--identity",
        required = true,
        paramLabel = "NAME",
        description = "The person's identity.")
    private String identity;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("login", login);
      wish.put("identityId", IdentityCommands.id(service, identity));
      show.one(
          service.post("/users", wish), column("Login", "/login"), column("Password", "/password"));
      return 0;
    }
  }
}
