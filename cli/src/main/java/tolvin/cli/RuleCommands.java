package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.annotation.JsonUnwrapped;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.rulebook.CadenceView;
import tolvin.api.rulebook.ChangeCountView;
import tolvin.api.rulebook.ChangeView;
import tolvin.api.rulebook.ExceptionRequest;
import tolvin.api.rulebook.ExceptionView;
import tolvin.api.rulebook.PreviewView;
import tolvin.api.rulebook.RuleView;
import tolvin.api.rulebook.RulebookDraftRequest;
import tolvin.api.rulebook.RulebookRequest;
import tolvin.api.rulebook.RulebookView;
import tolvin.api.rulebook.VerdictView;
import tolvin.api.rulebook.VersionView;
import tolvin.core.rulebook.RulebookText;
import tolvin.core.schedule.Cadence;

/** The rulebook. */
@Command(
    name = "rule",
    mixinStandardHelpOptions = true,
    description = "The rulebook: list, show, write, check, preview, save, except; and cadences.",
    subcommands = {
      RuleCommands.List_.class,
      RuleCommands.Show_.class,
      RuleCommands.Write.class,
      RuleCommands.Check.class,
      RuleCommands.Preview.class,
      RuleCommands.Save.class,
      RuleCommands.Except.class,
      RuleCommands.Versions.class,
      CadenceCommands.Add.class,
      CadenceCommands.Remove.class
    })
final class RuleCommands {
  private static final int MOST_TEXT = 1 << 20;

  private RuleCommands() {}

  /** Lists rules and cadences. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the rules in force, and the cadences.",
      footer = {"", "Example: tolvin rule list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      RulebookView book = Service.open().get("/rulebook", RulebookView.class);
      List<RuleView> rows = new ArrayList<>(book.rules());
      for (CadenceView cadence : book.cadences()) {
        rows.add(
            new RuleView(
                cadence.number(),
                cadence.name(),
                null,
                "rotate",
                List.of(),
                List.of("a new key every " + Cadence.words(cadence.every()))));
      }
      show.list(
          rows,
          "The rulebook is empty: everything is accepted, and nothing is ever due.",
          column("Number", RuleView::number),
          column("About", RuleView::name),
          column("When", RuleView::when),
          column("Demands", RuleView::demands),
          column("Otherwise", RuleView::otherwise));
      return 0;
    }
  }

  /** A rule with the exceptions from it. */
  private record WithExceptions(@JsonUnwrapped RuleView rule, List<ExceptionView> exceptions) {}

  /** Shows a rule. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a rule: what it demands, why, and the exceptions from it.",
      footer = {"", "Example: tolvin rule show 40"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "NUMBER", description = "Its number.")
    private int number;

    @Override
    public Integer call() throws Refused {
      RulebookView book = Service.open().get("/rulebook", RulebookView.class);
      for (RuleView rule : book.rules()) {
        if (rule.number() == number) {
          List<ExceptionView> exceptions =
              book.exceptions().stream().filter(e -> e.rule() == number).toList();
          show.one(
              new WithExceptions(rule, exceptions),
              column("Number", WithExceptions::rule, RuleView::number),
              column("About", WithExceptions::rule, RuleView::name),
              column("Because", WithExceptions::rule, RuleView::because),
              column("When", WithExceptions::rule, RuleView::when),
              column("Demands", WithExceptions::rule, RuleView::demands),
              column("Otherwise", WithExceptions::rule, RuleView::otherwise),
              column("Exceptions", WithExceptions::exceptions));
          return 0;
        }
      }
      throw new Refused("There is no rule " + number + ". List the rules to see.");
    }
  }

  /** Writes the rulebook to a file. */
  @Command(
      name = "write",
      mixinStandardHelpOptions = true,
      description = "Write the rulebook in force, or a former version, as YAML.",
      footer = {"", "Example: tolvin rule write book.yaml"})
  static final class Write implements Callable<Integer> {
    @Parameters(paramLabel = "FILE", description = "A new file, or - for standard output.")
    private String file;

    @Option(names = "--version-number", paramLabel = "NUMBER", description = "A former version.")
    private Integer version;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      int number =
          version != null ? version : service.get("/rulebook", RulebookView.class).version();
      byte[] text = service.bytes("/rulebook/versions/" + number);
      Output.write(file, text);
      if (!file.equals("-")) {
        System.err.println("Version " + number + " written to " + file + ".");
      }
      return 0;
    }
  }

  private static String text(String file) throws Refused {
    return new String(Input.of(file).bytes(MOST_TEXT), StandardCharsets.UTF_8);
  }

  /** Refuses a text with flaws, each with its line. */
  private static void checked(String file, String text) throws Refused {
    RulebookText.Parsed parsed = RulebookText.read(text);
    if (!parsed.flaws().isEmpty()) {
      StringBuilder all = new StringBuilder();
      parsed
          .flaws()
          .forEach(
              f ->
                  all.append(file)
                      .append(':')
                      .append(f.line())
                      .append(": ")
                      .append(f.sentence())
                      .append('\n'));
      throw new Refused(all.toString().stripTrailing());
    }
  }

  /** Checks a file. */
  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description = "Check a rulebook's text. Works without a service.",
      footer = {"", "Example: tolvin rule check book.yaml"})
  static final class Check implements Callable<Integer> {
    @Parameters(paramLabel = "FILE", description = "The file, or - for standard input.")
    private String file;

    @Override
    public Integer call() throws Refused {
      checked(file, text(file));
      System.out.println(file + " has no flaws.");
      return 0;
    }
  }

  /** Says what a file would change. */
  @Command(
      name = "preview",
      mixinStandardHelpOptions = true,
      description = "Say what a rulebook would change for the keys that exist; saves nothing.",
      footer = {"", "Example: tolvin rule preview book.yaml"})
  static final class Preview implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The file, or - for standard input.")
    private String file;

    @Override
    public Integer call() throws Refused {
      String text = text(file);
      checked(file, text);
      preview(Service.open(), show, text);
      return 0;
    }
  }

  private static void preview(Service service, Show show, String text) throws Refused {
    PreviewView preview =
        service.post("/rulebook/preview", new RulebookDraftRequest(text), PreviewView.class);
    if (!show.isTable()) {
      show.one(preview, column("Counts", PreviewView::counts));
      return;
    }
    show.list(
        preview.counts(),
        "No verdict would change.",
        column("How many", ChangeCountView::count),
        column("Before", ChangeCountView::before),
        column("After", ChangeCountView::after));
    if (!preview.changes().isEmpty()) {
      show.out().println();
      show.list(
          preview.changes(),
          "",
          column("Fingerprint", ChangeView::fingerprint),
          column("Identity", ChangeView::identity),
          column("Account", ChangeView::account),
          column("Before", ChangeView::before),
          column("After", ChangeView::after, VerdictView::outcome),
          column(
              "Rule", c -> c.after().notes().isEmpty() ? null : c.after().notes().get(0).rule()));
    }
  }

  /** Puts a file into force. */
  @Command(
      name = "save",
      mixinStandardHelpOptions = true,
      description = "Put a rulebook into force, after showing what it changes.",
      footer = {"", "Example: tolvin rule save book.yaml --reason 'RSA 3072 from today'"})
  static final class Save implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(paramLabel = "FILE", description = "The file, or - for standard input.")
    private String file;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Option(names = "--ticket", paramLabel = "NUMBER", description = "The ticket's number.")
    private String ticket;

    @Override
    public Integer call() throws Refused {
      String text = text(file);
      checked(file, text);
      Service service = Service.open();
      String version = String.valueOf(service.get("/rulebook", RulebookView.class).version());
      preview(service, show, text);
      consent.ask("Put this rulebook into force in place of version " + version + "?");
      RulebookView saved =
          service.put(
              "/rulebook", new RulebookRequest(text, reason, ticket), version, RulebookView.class);
      show.out().println("Version " + saved.version() + " is in force.");
      show.out().flush();
      return 0;
    }
  }

  /** Adds an exception. */
  @Command(
      name = "except",
      mixinStandardHelpOptions = true,
      description = "Let a key, or an identity's keys, pass a rule for now.",
      footer = {
        "",
        "Example: tolvin rule except 11 --identity crane-feed --until 2027-03-31 \\",
        "           --owner 'Isla Renwick' --reason 'controller is replaced in spring'"
      })
  static final class Except implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "NUMBER", description = "The rule's number.")
    private int number;

    @Option(names = "--key", paramLabel = "KEY", description = "For this key.")
    private String key;

    @Option(names = "--identity", paramLabel = "NAME", description = "For this identity's keys.")
    private String identity;

    @Option(
        names = "--until",
        required = true,
        paramLabel = "DAY",
        description = "The last day, such as 2027-03-31.")
    private String until;

    @Option(
        names = "--owner",
        required = true,
        paramLabel = "NAME",
        description = "Who answers for it.")
    private String owner;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String of =
          key == null || key.startsWith("SHA256:") && key.length() == 50
              ? key
              : KeyCommands.find(service, key).fingerprint();
      RulebookView book =
          service.post(
              "/rulebook/exceptions",
              new ExceptionRequest(number, of, identity, reason, owner, until),
              RulebookView.class);
      show.out().println("Version " + book.version() + " is in force.");
      show.out().flush();
      return 0;
    }
  }

  /** Lists versions. */
  @Command(
      name = "versions",
      mixinStandardHelpOptions = true,
      description = "List the versions of the rulebook.",
      footer = {"", "Example: tolvin rule versions"})
  static final class Versions implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/rulebook/versions", VersionView.class),
          "",
          column("Version", VersionView::version),
          column("In force from", VersionView::since),
          column("Until", VersionView::until),
          column("Saved by", VersionView::savedBy),
          column("Reason", VersionView::reason),
          column("Ticket", VersionView::ticket));
      return 0;
    }
  }
}
