package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.Objects;
import java.util.UUID;
import java.util.concurrent.Callable;
import java.util.stream.Stream;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.destination.AccountChangeRequest;
import tolvin.api.destination.AccountRequest;
import tolvin.api.destination.AccountView;
import tolvin.api.destination.RegisteredView;
import tolvin.api.placement.SignInModeRequest;
import tolvin.api.placement.SignInModeView;
import tolvin.core.estate.Management;
import tolvin.core.estate.SignInMode;
import tolvin.core.word.Words;

/** Accounts. */
@Command(
    name = "account",
    mixinStandardHelpOptions = true,
    description = "Logins on destinations: list, show, add.",
    subcommands = {
      AccountCommands.List_.class,
      AccountCommands.Show_.class,
      AccountCommands.Add.class,
      AccountCommands.Change.class
    })
final class AccountCommands {
  private AccountCommands() {}

  private static final List<Show.Column<AccountView>> COLUMNS =
      columns(
          column("Login", AccountView::login),
          column("Destination", AccountView::destination),
          column("Kind", AccountView::kind),
          column("Sign-in", AccountView::signInMode),
          column("Seen", AccountView::modeSeen),
          column("Managed by", AccountView::managedBy),
          column("Holds", AccountView::holds),
          column("Read at", AccountView::readAt));

  /** Finds LOGIN@DESTINATION. */
  static AccountView find(Service service, String text) throws Refused {
    if (Service.isId(text)) {
      return service.get("/accounts/" + text, AccountView.class);
    }
    for (AccountView account :
        service.all("/accounts?search=" + Service.query(text), AccountView.class)) {
      if ((account.login() + "@" + account.destination()).equals(text)) {
        return account;
      }
    }
    throw new Refused("There is no account “" + text + "”. Give it as LOGIN@DESTINATION.");
  }

  /** Lists accounts. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List accounts.",
      footer = {"", "Example: tolvin account list --search timetable"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(
        names = "--search",
        paramLabel = "TEXT",
        defaultValue = "",
        description = "Only those whose name, LOGIN@DESTINATION, has it in it.")
    private String search;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/accounts?search=" + Service.query(search), AccountView.class),
          "No such account. Add one with: tolvin account add DESTINATION LOGIN",
          COLUMNS);
      return 0;
    }
  }

  /** Shows what is registered on an account. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show what was found on an account when it was last read.",
      footer = {"", "Example: tolvin account show boats/timetable@code.skerrymoor.example"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Override
    public Integer call() throws Refused {
      show.list(
          find(Service.open(), account).registered(),
          "Nothing was found there.",
          column("Key", RegisteredView::key),
          column("Reference", RegisteredView::reference),
          column("Slot", RegisteredView::slot),
          column("Added", RegisteredView::addedAt),
          column("Last used", RegisteredView::usedAt),
          column("Ends", RegisteredView::endsAt),
          column("Not sure", RegisteredView::ignored));
      return 0;
    }
  }

  /** Adds an account. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Add an account of a destination.",
      footer = {"", "Example: tolvin account add sftp.skerrymoor.example crane"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(index = "0", paramLabel = "DESTINATION", description = "Name or id.")
    private String destination;

    @Parameters(index = "1", paramLabel = "LOGIN", description = "The login.")
    private String login;

    @Option(
        names = "--kind",
        paramLabel = "KIND",
        description = "The kind of account, where the destination's sheet knows several.")
    private String kind;

    @Option(names = "--holds", paramLabel = "N", description = "How many keys it can hold.")
    private Integer holds;

    @Option(
        names = "--identity",
        paramLabel = "NAME",
        description = "The person whose account it is.")
    private String identity;

    @Option(
        names = "--sign-in",
        paramLabel = "MODE",
        description = "password, key, either or both. Default: key.")
    private SignInMode mode;

    @Option(
        names = "--managed-by",
        paramLabel = "WHO",
        description = "Who writes its keys: tolvin, shared or another-source. Default: tolvin.")
    private Management managedBy;

    @Option(
        names = "--source",
        paramLabel = "TEXT",
        description = "What the other source is that rewrites its keys.")
    private String source;

    @Option(
        names = "--password-file",
        paramLabel = "FILE",
        description = "For an account that wants both: the password that Tolvin tries it with.")
    private String passwordFile;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      UUID id = DestinationCommands.find(service, destination).id();
      AccountRequest wanted =
          new AccountRequest(
              login,
              kind,
              mode,
              holds,
              identity == null ? null : IdentityCommands.id(service, identity),
              managedBy,
              source,
              passwordFile == null ? null : Secret.whole("Password of " + login, passwordFile));
      show.one(
          service.post("/destinations/" + id + "/accounts", wanted, AccountView.class), COLUMNS);
      return 0;
    }
  }

  /** Changes how an account signs in, or what is known of it. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = {
        "Change how an account signs in, where its server lets us; to a key alone only "
            + "when everybody who signs in there has proven one. Or say anew who writes its "
            + "keys, how many it holds, or the password that it wants beside a key."
      },
      footer = {
        "",
        "Example: tolvin account change crane@sftp.skerrymoor.example --sign-in key "
            + "--reason 'rule 4'",
        "Example: tolvin account change crane@sftp.skerrymoor.example --managed-by "
            + "another-source --source 'yard scripts'"
      })
  static final class Change implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Option(
        names = "--sign-in",
        paramLabel = "MODE",
        description = "password, key, either or both; wants --reason.")
    private SignInMode mode;

    @Option(names = "--reason", paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Option(
        names = "--managed-by",
        paramLabel = "WHO",
        description = "tolvin, shared or another-source.")
    private Management managedBy;

    @Option(names = "--source", paramLabel = "TEXT", description = "What the other source is.")
    private String source;

    @Option(names = "--holds", paramLabel = "COUNT", description = "How many keys it can hold.")
    private Integer holds;

    @Option(
        names = "--overrule",
        description =
            "Change the mode also if somebody cannot sign in any more; the refusal says who.")
    private boolean overrule;

    @Option(
        names = "--password-file",
        paramLabel = "FILE",
        description = "What Tolvin tries it with beside a key.")
    private String passwordFile;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      AccountView found = find(service, account);
      String password =
          passwordFile == null ? null : Secret.whole("Password of " + account, passwordFile);
      boolean nothingKnown =
          Stream.of(managedBy, source, holds, password).allMatch(Objects::isNull);
      if (mode == null && nothingKnown) {
        throw new Refused("Say what is to be changed: tolvin account change --help");
      }
      if (!nothingKnown) {
        AccountView changed =
            service.patch(
                "/accounts/" + found.id(),
                new AccountChangeRequest(managedBy, source, holds, null, password),
                null,
                AccountView.class);
        if (mode == null) {
          show.one(changed, COLUMNS);
          return 0;
        }
      }
      if (reason == null) {
        throw new Refused("Changing how an account signs in wants --reason.");
      }
      consent.ask("Have " + account + " sign in by " + Words.of(mode) + " from now on?");
      show.one(
          service.post(
              "/accounts/" + found.id() + "/sign-in-mode",
              new SignInModeRequest(mode, reason, overrule),
              SignInModeView.class),
          column("Account", SignInModeView::accountId),
          column("Sign-in", SignInModeView::mode));
      return 0;
    }
  }
}
