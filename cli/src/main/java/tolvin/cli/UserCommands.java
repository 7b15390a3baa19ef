package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.Arrays;
import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.ArgGroup;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.people.InvitationView;
import tolvin.api.people.JoinRequest;
import tolvin.api.people.JoinedView;
import tolvin.api.people.PasswordRequest;
import tolvin.api.people.UserChangeRequest;
import tolvin.api.people.UserRequest;
import tolvin.api.people.UserView;
import tolvin.core.people.UserRole;
import tolvin.core.people.UserState;

/** Users. */
@Command(
    name = "user",
    mixinStandardHelpOptions = true,
    description =
        "Who may sign in to Tolvin: list, add, link, join, change, remove, and your own password.",
    subcommands = {
      UserCommands.List_.class,
      UserCommands.Add.class,
      UserCommands.Link.class,
      UserCommands.Join.class,
      UserCommands.Change.class,
      UserCommands.Remove.class,
      UserCommands.Password.class
    })
final class UserCommands {
  private UserCommands() {}

  private static final List<Show.Column<UserView>> COLUMNS =
      columns(
          column("Login", UserView::login),
          column("Name", UserView::name),
          column("Role", UserView::role),
          column("State", UserView::state),
          column("Last seen", u -> u.lastSeenAt() == null ? "never" : u.lastSeenAt()),
          column("Link until", UserView::linkUntil));

  private static final List<Show.Column<InvitationView>> LINK =
      columns(
          column("Login", InvitationView::login),
          column("Link", InvitationView::link),
          column("Good until", InvitationView::until));

  private static UUID id(Service service, String text) throws Refused {
    return service
        .one(
            service.all("/users", UserView.class),
            "user",
            text,
            UserView::id,
            List.of(UserView::login))
        .id();
  }

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
      show.list(Service.open().all("/users", UserView.class), "No users.", COLUMNS);
      return 0;
    }
  }

  /** Adds a user. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description =
          "Let a person in. Gives a link, good once and for three days, with which they choose a"
              + " password that nobody else ever knows. It asks for your password.",
      footer = {
        "",
        "Examples: tolvin user add isla --identity 'Isla Renwick'",
        "          tolvin user add tormod --name 'Tormod Haig' --role administrator"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "LOGIN", description = "What they sign in with.")
    private String login;

    @Option(
        names = "--identity",
        paramLabel = "NAME",
        description = "The person's identity. An administrator may have none.")
    private String identity;

    @Option(
        names = "--name",
        paramLabel = "NAME",
        description = "As the journal names them. Default: that of the identity.")
    private String name;

    @Option(
        names = "--role",
        paramLabel = "ROLE",
        description = "self (their own keys) or administrator (everything). Default: self.")
    private UserRole role;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID whose = identity == null ? null : IdentityCommands.id(service, identity);
      show.one(
          service.post("/users", new UserRequest(login, name, whose, role), InvitationView.class),
          LINK);
      return 0;
    }
  }

  /** Makes a new link. */
  @Command(
      name = "link",
      mixinStandardHelpOptions = true,
      description =
          "Make a new link with which a user chooses a password: after an old one ran out, or when"
              + " they forgot theirs. Private keys from before stay closed to them for a while.",
      footer = {"", "Example: tolvin user link isla"})
  static final class Link implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "LOGIN", description = "Whose password.")
    private String login;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.post("/users/" + id(service, login) + "/link", null, InvitationView.class), LINK);
      return 0;
    }
  }

  /** Chooses a password with a link. */
  @Command(
      name = "join",
      mixinStandardHelpOptions = true,
      description = "Choose a password with the link that an administrator gave you.",
      footer = {"", "Example: tolvin user join 'http://127.0.0.1:8460/join#…'"})
  static final class Join implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "LINK", description = "The whole link.")
    private String link;

    @Option(
        names = "--password-file",
        paramLabel = "FILE",
        description = "The new password, the first line of a file. Default: you are asked.")
    private String passwordFile;

    @Override
    public Integer call() throws Refused {
      int mark = link.indexOf('#');
      if (mark < 0 || !link.substring(0, mark).endsWith("/join")) {
        throw new Refused("This is no such link. Give all of it, from http to its end, in quotes.");
      }
      Service service = Service.at(link.substring(0, mark - "/join".length()));
      char[] password = Secret.askNew("New password", passwordFile);
      JoinRequest wanted = new JoinRequest(link.substring(mark + 1), new String(password));
      Arrays.fill(password, '\0');
      show.one(
          service.post("/users/join", wanted, JoinedView.class),
          column("Login", JoinedView::login),
          column("Name", JoinedView::name));
      return 0;
    }
  }

  /** Changes a user. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = "Change a user's name or role, disable or enable them.",
      footer = {"", "Example: tolvin user change tormod --disable"})
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "LOGIN", description = "Which user.")
    private String login;

    @Option(names = "--name", paramLabel = "NAME", description = "As the journal names them.")
    private String name;

    @Option(names = "--role", paramLabel = "ROLE", description = "self or administrator.")
    private UserRole role;

    @ArgGroup private State state;

    /** One or the other. */
    static final class State {
      @Option(
          names = "--disable",
          description = "They may not sign in any more; their sessions end, their tokens rest.")
      private boolean disable;

      @Option(names = "--enable", description = "They may sign in again.")
      private boolean enable;
    }

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UserState to = state == null ? null : state.disable ? UserState.DISABLED : UserState.ACTIVE;
      show.one(
          service.patch(
              "/users/" + id(service, login),
              new UserChangeRequest(name, role, to),
              null,
              UserView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Removes a user. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description =
          "Remove a user, with their sessions and tokens. They stay on record, and nobody else gets"
              + " their login.",
      footer = {"", "Example: tolvin user remove tormod"})
  static final class Remove implements Callable<Integer> {
    @Parameters(paramLabel = "LOGIN", description = "Which user.")
    private String login;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      service.delete("/users/" + id(service, login));
      return 0;
    }
  }

  /** Changes one's own password. */
  @Command(
      name = "password",
      mixinStandardHelpOptions = true,
      description = "Change your own password. Your other sessions end.",
      footer = {"", "Example: tolvin user password isla"})
  static final class Password implements Callable<Integer> {
    @Parameters(paramLabel = "LOGIN", description = "As whom you sign in.")
    private String login;

    @Option(
        names = "--password-file",
        paramLabel = "FILE",
        description = "The password so far, the first line of a file. Default: you are asked.")
    private String passwordFile;

    @Option(
        names = "--new-password-file",
        paramLabel = "FILE",
        description = "The new one, the first line of a file. Default: you are asked.")
    private String newPasswordFile;

    @Override
    public Integer call() throws Refused {
      char[] password = Secret.ask("Password of " + login, passwordFile);
      try {
        Service.open().signedIn(login, password, you -> change(you, password));
      } finally {
        Arrays.fill(password, '\0');
      }
      System.err.println("The password was changed.");
      return 0;
    }

    private Void change(Service you, char[] password) throws Refused {
      char[] next = Secret.askNew("New password", newPasswordFile);
      PasswordRequest wanted = new PasswordRequest(new String(password), new String(next));
      Arrays.fill(next, '\0');
      return you.put("/session/password", wanted, null, Void.class);
    }
  }
}
