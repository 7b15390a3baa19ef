package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.people.NewTokenView;
import tolvin.api.people.TokenRequest;
import tolvin.api.people.TokenView;
import tolvin.core.people.TokenScope;

/** API tokens. */
@Command(
    name = "token",
    mixinStandardHelpOptions = true,
    description = "API tokens: list, add, remove.",
    subcommands = {TokenCommands.List_.class, TokenCommands.Add.class, TokenCommands.Remove.class})
final class TokenCommands {
  private TokenCommands() {}

  /** Lists tokens. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the tokens in force.",
      footer = {"", "Example: tolvin token list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/tokens", TokenView.class),
          "No tokens.",
          column("Name", TokenView::name),
          column("Login", TokenView::login),
          column("May", TokenView::scope),
          column("Expires", TokenView::expiresAt),
          column("Last used", t -> t.lastUsedAt() == null ? "never" : t.lastUsedAt()),
          column("Id", TokenView::id));
      return 0;
    }
  }

  /** Makes a token. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description =
          "Make a token for yourself; it is shown this once. It asks for your password: a token cannot"
              + " make another one.",
      footer = {
        "",
        "Example: tolvin token add 'nightly report' --login isla --scope read --life P30D"
      })
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "NAME", description = "What it is for.")
    private String name;

    @Option(
        names = "--life",
        defaultValue = "P90D",
        paramLabel = "DURATION",
        description = "How long it lives. Default: P90D.")
    private String life;

    @Option(
        names = "--scope",
        paramLabel = "SCOPE",
        description =
            "What it may do: read, operate (register, place, withdraw, rotate) or administer"
                + " (destinations, rules, lists as well). Default: operate.")
    private TokenScope scope;

    @Option(
        names = "--login",
        required = true,
        paramLabel = "LOGIN",
        description = "As whom you sign in to Tolvin.")
    private String login;

    @Option(
        names = "--password-file",
        paramLabel = "FILE",
        description = "Your password, the first line of a file. Default: you are asked.")
    private String passwordFile;

    @Override
    public Integer call() throws Refused {
      NewTokenView made =
          Service.open()
              .signedIn(
                  login,
                  Secret.ask("Password of " + login, passwordFile),
                  you ->
                      you.post("/tokens", new TokenRequest(name, life, scope), NewTokenView.class));
      show.one(
          made,
          column("Token", NewTokenView::token),
          column("Name", NewTokenView::name),
          column("May", NewTokenView::scope),
          column("Expires", NewTokenView::expiresAt));
      return 0;
    }
  }

  /** Removes a token. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Take a token out of force.",
      footer = {"", "Example: tolvin token remove ID"})
  static final class Remove implements Callable<Integer> {
    @Parameters(
        paramLabel = "ID",
        description = "Its id, or the beginning of it that the list shows.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service.open().remove("/tokens", TokenView.class, TokenView::id, "token", id);
      return 0;
    }
  }
}
