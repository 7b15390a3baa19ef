package tolvin.cli;

import static tolvin.cli.Show.column;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.journal.JournalEntryView;
import tolvin.api.journal.SealCheckView;
import tolvin.core.journal.Audit;
import tolvin.core.journal.Chain;

/** The journal. */
@Command(
    name = "journal",
    mixinStandardHelpOptions = true,
    description = "The record of all that was done: list, check, export, verify.",
    subcommands = {
      JournalCommands.List_.class,
      JournalCommands.Check.class,
      JournalCommands.Export.class,
      JournalCommands.Verify.class
    })
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
      description =
          "Check every link, signature and name of the journal, where the service keeps it.",
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
          column("What is wrong", SealCheckView::sentence),
          column("Not sealed yet", SealCheckView::unsealed));
      return check.holds() ? 0 : 1;
    }
  }

  /** Writes the sealed entries to a file. */
  @Command(
      name = "export",
      mixinStandardHelpOptions = true,
      description =
          "Write the sealed entries to a file, as JSON Lines with seals and the key to check them with."
              + " Anybody can check the file without Tolvin; keep it where Tolvin's administrators"
              + " cannot write.",
      footer = {"", "Example: tolvin journal export journal.jsonl"})
  static final class Export implements Callable<Integer> {
    @Parameters(
        paramLabel = "FILE",
        description = "The file, which must not exist; - for the terminal.")
    private String file;

    @Option(
        names = "--from",
        defaultValue = "0",
        paramLabel = "NUMBER",
        description = "Only what comes behind this entry, which an earlier export ended with.")
    private long from;

    @Override
    public Integer call() throws Refused {
      String path = "/journal/export?from=" + from;
      if (file.equals("-")) {
        Service.open().copy(path, System.out);
        System.out.flush();
        return 0;
      }
      try (OutputStream out = Files.newOutputStream(Path.of(file), StandardOpenOption.CREATE_NEW)) {
        Service.open().copy(path, out);
      } catch (FileAlreadyExistsException e) {
        throw new Refused(file + " exists already. Choose another name.");
      } catch (IOException e) {
        throw new Refused(file + " cannot be written: " + e.getMessage());
      }
      return 0;
    }
  }

  /** Checks an exported file. */
  @Command(
      name = "verify",
      mixinStandardHelpOptions = true,
      description =
          "Check an exported journal, without the service: every link, signature and name. Says which"
              + " is the first entry that was edited, is missing or repeated, or behind which the"
              + " journal is cut off.",
      footer = {
        "",
        "Without --key the file is checked with the key that it brings, which shows damage but not who"
            + " wrote it: keep the key from a first export, and give it from then on.",
        "Example: tolvin journal verify journal.jsonl --from 1200:9f2c… --key MCowBQYDK2VwAyEA…"
      })
  static final class Verify implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "What export wrote.")
    private Path file;

    @Option(
        names = "--from",
        paramLabel = "CHECKPOINT",
        description =
            "NUMBER:LINK that an earlier check reached; the journal must go on from there.")
    private String from;

    @Option(
        names = "--key",
        paramLabel = "KEY",
        description = "The journal's key, in base64, kept from an earlier export.")
    private String key;

    /** What is shown. */
    record Result(long entries, boolean holds, String wrong, String checkPoint, String key) {}

    @Override
    public Integer call() throws Refused {
      Optional<Audit.CheckPoint> known =
          from == null ? Optional.empty() : Optional.of(JournalFile.checkPoint(from));
      JournalFile.Verdict verdict = JournalFile.check(file, known, Optional.ofNullable(key));
      Audit.CheckPoint reached = verdict.reached();
      show.one(
          new Result(
              reached.number(),
              verdict.finding().isEmpty(),
              verdict.finding().map(Audit.Finding::sentence).orElse(null),
              reached.number() + ":" + Chain.shown(reached.link()),
              verdict.key()),
          column("Entries", Result::entries),
          column("Holds", Result::holds),
          column("What is wrong", Result::wrong),
          column("Check-point", Result::checkPoint),
          column("Key", Result::key));
      return verdict.finding().isEmpty() ? 0 : 1;
    }
  }
}
