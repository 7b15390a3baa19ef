package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** The journal. */
@Command(
    name = "journal",
    mixinStandardHelpOptions = true,
    description = "The record of all that was done: list, check.",
    subcommands = {JournalCommands.List_.class, JournalCommands.Check.class})
final class JournalCommands {
  private JournalCommands() {}

  /** Lists entries. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List entries, the newest first.",
      footer = {"", "Example: tolvin journal list --limit 20"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(
        names = "--limit",
        defaultValue = "30",
        paramLabel = "N",
        description = "How many. Default: 30.")
    private int limit;

    @Option(
        names = "--deed",
        defaultValue = "",
        paramLabel = "WORD",
        description = "Only deeds that begin so, such as rotation.")
    private String deed;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open()
              .get("/journal?limit=" + limit + "&deed=" + Service.query(deed))
              .get("items"),
          "The journal is empty.",
          column("No.", "/number"),
          column("At", "/at"),
          column("Who", "/who"),
          column("What", "/text"));
      return 0;
    }
  }

  /** Checks the chain. */
  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description = "Check every link of the journal, and the signature over them.",
      footer = {"", "Example: tolvin journal check"})
  static final class Check implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      JsonNode check = Service.open().get("/journal/check");
      show.one(
          check,
          column("Entries", "/entries"),
          column("Holds", "/holds"),
          column("Broken at", "/brokenAt"),
          column("Not sealed yet", "/unsealed"));
      return check.get("holds").asBoolean() ? 0 : 1;
    }
  }
}
