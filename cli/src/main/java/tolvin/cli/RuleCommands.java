package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.core.rulebook.RulebookText;

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
      JsonNode book = Service.open().get("/rulebook");
      ArrayNode rows = Service.JSON.createArrayNode();
      book.get("rules").forEach(rule -> rows.add(rule.deepCopy()));
      for (JsonNode cadence : book.get("cadences")) {
        ObjectNode row = rows.addObject();
        row.put("number", cadence.get("number").asInt());
        row.put("name", cadence.get("name").asText());
        row.put("otherwise", "rotate");
        row.putArray("demands")
            .add("a new key every " + CadenceCommands.words(cadence.get("every").asText()));
      }
      show.list(
          rows,
          "The rulebook is empty: everything is accepted, and nothing is ever due.",
          column("Number", "/number"),
          column("About", "/name"),
          column("When", "/when"),
          column("Demands", "/demands"),
          column("Otherwise", "/otherwise"));
      return 0;
    }
  }

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
      JsonNode book = Service.open().get("/rulebook");
      for (JsonNode rule : book.get("rules")) {
        if (rule.get("number").asInt() == number) {
          ObjectNode whole = rule.deepCopy();
          ArrayNode exceptions = whole.putArray("exceptions");
          for (JsonNode e : book.get("exceptions")) {
            if (e.get("rule").asInt() == number) {
              exceptions.add(e);
            }
          }
          show.one(
              whole,
              column("Number", "/number"),
              column("About", "/name"),
              column("Because", "/because"),
              column("When", "/when"),
              column("Demands", "/demands"),
              column("Otherwise", "/otherwise"),
              column("Exceptions", "/exceptions"));
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
      int number = version != null ? version : service.get("/rulebook").get("version").asInt();
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
    JsonNode preview = service.post("/rulebook/preview", Map.of("text", text));
    if (!show.isTable()) {
      show.one(preview, column("Counts", "/counts"));
      return;
    }
    show.list(
        preview.get("counts"),
        "No verdict would change.",
        column("How many", "/count"),
        column("Before", "/before"),
        column("After", "/after"));
    if (!preview.get("changes").isEmpty()) {
      show.out().println();
      show.list(
          preview.get("changes"),
          "",
          column("Fingerprint", "/fingerprint"),
          column("Identity", "/identity"),
          column("Account", "/account"),
          column("Before", "/before"),
          column("After", "/after/outcome"),
          column("Rule", "/after/notes/0/rule"));
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
      String version = service.get("/rulebook").get("version").asText();
      preview(service, show, text);
      consent.ask("Put this rulebook into force in place of version " + version + "?");
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("text", text);
      wish.put("reason", reason);
      wish.put("ticket", ticket);
      JsonNode saved = service.put("/rulebook", wish, version);
      show.out().println("Version " + saved.get("version").asText() + " is in force.");
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
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("rule", number);
      wish.put(
          "key",
          key == null || key.startsWith("SHA256:") && key.length() == 50
              ? key
              : KeyCommands.find(service, key).get("fingerprint").asText());
      wish.put("identity", identity);
      wish.put("until", until);
      wish.put("owner", owner);
      wish.put("reason", reason);
      JsonNode book = service.post("/rulebook/exceptions", wish);
      show.out().println("Version " + book.get("version").asText() + " is in force.");
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
          Service.open().all("/rulebook/versions"),
          "",
          column("Version", "/version"),
          column("In force from", "/since"),
          column("Until", "/until"),
          column("Saved by", "/savedBy"),
          column("Reason", "/reason"),
          column("Ticket", "/ticket"));
      return 0;
    }
  }
}
