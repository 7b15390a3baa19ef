package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.people.NewUserView;
import tolvin.api.people.UserRequest;
import tolvin.api.people.UserView;

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
          Service.open().all("/users", UserView.class),
          "No users.",
          column("Login", UserView::login),
          column("Name", UserView::name),
          column("Role", UserView::role),
          column("Id", UserView::id));
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
      UserRequest wanted = new UserRequest(login, null, IdentityCommands.id(service, identity));
      show.one(
          service.post("/users", wanted, NewUserView.class),
          column("Login", NewUserView::login),
          column("Password", NewUserView::password));
      return 0;
    }
  }
}
