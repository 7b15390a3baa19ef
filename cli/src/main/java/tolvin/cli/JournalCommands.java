package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import tolvin.api.journal.JournalEntryView;
import tolvin.api.journal.SealCheckView;

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
        names = "--action",
        defaultValue = "",
        paramLabel = "WORD",
        description = "Only actions that begin so, such as rotation.")
    private String action;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open()
              .page(
                  "/journal?limit=" + limit + "&action=" + Service.query(action),
                  JournalEntryView.class)
              .items(),
          "The journal is empty.",
          column("No.", JournalEntryView::number),
          column("At", JournalEntryView::at),
          column("Who", JournalEntryView::who),
          column("What", JournalEntryView::text));
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
      SealCheckView check = Service.open().get("/journal/check", SealCheckView.class);
      show.one(
          check,
          column("Entries", SealCheckView::entries),
          column("Holds", SealCheckView::holds),
          column("Broken at", SealCheckView::brokenAt),
          column("Not sealed yet", SealCheckView::unsealed));
      return check.holds() ? 0 : 1;
    }
  }
}
