package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

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

  private static final Show.Column[] COLUMNS = {
    column("Login", "/login"),
    column("Destination", "/destination"),
    column("Kind", "/kind"),
    column("Sign-in", "/signInMode"),
    column("Seen", "/modeSeen"),
    column("Kept by", "/keptBy"),
    column("Holds", "/holds"),
    column("Read at", "/readAt")
  };

  /** Finds LOGIN@DESTINATION. */
  static JsonNode find(Service service, String text) throws Refused {
    String search = text.contains("@") ? "?search=" + Service.query(text) : "";
    for (JsonNode account : service.all("/accounts" + search)) {
      String name = account.get("login").asText() + "@" + account.get("destination").asText();
      if (name.equals(text) || account.get("id").asText().equals(text)) {
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
          Service.open().all("/accounts?search=" + Service.query(search)),
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
          find(Service.open(), account).path("registered"),
          "Nothing was found there.",
          column("Key", "/key"),
          column("Reference", "/reference"),
          column("Slot", "/slot"),
          column("Added", "/addedAt"),
          column("Last used", "/usedAt"),
          column("Ends", "/endsAt"),
          column("Passed over", "/passedOver"));
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
    private String mode;

    @Option(
        names = "--kept-by",
        paramLabel = "WHO",
        description = "Who writes its keys: us, shared or source. Default: us.")
    private String keptBy;

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
      String id = DestinationCommands.find(service, destination).get("id").asText();
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("login", login);
      wish.put("kind", kind);
      wish.put("holds", holds);
      wish.put("signInMode", mode);
      wish.put("keptBy", keptBy);
      wish.put("keptSource", source);
      if (passwordFile != null) {
        wish.put("password", Secret.whole("Password of " + login, passwordFile));
      }
      if (identity != null) {
        wish.put("identityId", IdentityCommands.id(service, identity));
      }
      show.one(service.post("/destinations/" + id + "/accounts", wish), COLUMNS);
      return 0;
    }
  }

  /** Changes how an account signs in, or what is known of it. */
  @Command(
      name = "change",
      mixinStandardHelpOptions = true,
      description = {
        "Change how an account signs in, where its server lets us; to a key alone only when",
        "everybody who signs in there has proven one. Or say anew who writes its keys, how many it",
        "holds, or the password that it wants beside a key."
      },
      footer = {
        "",
        "Example: tolvin account change crane@sftp.skerrymoor.example --sign-in key --reason 'rule 4'",
        "Example: tolvin account change crane@sftp.skerrymoor.example --kept-by source --source 'yard scripts'"
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
    private String mode;

    @Option(names = "--reason", paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Option(names = "--kept-by", paramLabel = "WHO", description = "us, shared or source.")
    private String keptBy;

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
      JsonNode found = find(service, account);
      Map<String, Object> known = new LinkedHashMap<>();
      known.put("keptBy", keptBy);
      known.put("keptSource", source);
      known.put("holds", holds);
      known.put(
          "password",
          passwordFile == null ? null : Secret.whole("Password of " + account, passwordFile));
      boolean nothingKnown = known.values().stream().allMatch(java.util.Objects::isNull);
      if (mode == null && nothingKnown) {
        throw new Refused("Say what is to be changed: tolvin account change --help");
      }
      if (!nothingKnown) {
        JsonNode changed = service.patch("/accounts/" + found.get("id").asText(), known, null);
        if (mode == null) {
          show.one(changed, COLUMNS);
          return 0;
        }
      }
      if (reason == null) {
        throw new Refused("Changing how an account signs in wants --reason.");
      }
      consent.ask("Have " + account + " sign in by " + mode + " from now on?");
      show.one(
          service.post(
              "/accounts/" + found.get("id").asText() + "/sign-in-mode",
              Map.of("mode", mode, "reason", reason, "overrule", overrule)),
          column("Account", "/accountId"),
          column("Sign-in", "/mode"));
      return 0;
    }
  }
}
