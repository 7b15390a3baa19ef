package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.sheet.SheetRequest;
import tolvin.api.sheet.SheetView;
import tolvin.core.sheet.SheetText;
import tolvin.core.sheet.SheetWords;
import tolvin.core.yaml.Flaw;

/** System sheets. */
@Command(
    name = "sheet",
    mixinStandardHelpOptions = true,
    description = "System sheets: check, explain, schema (without the service); list, show, save.",
    subcommands = {
      SheetCommands.Check.class,
      SheetCommands.Explain.class,
      SheetCommands.Schema.class,
      SheetCommands.List_.class,
      SheetCommands.Show_.class,
      SheetCommands.Save.class
    })
final class SheetCommands {
  private static final int MOST_TEXT = 1 << 20;
  private static final List<Show.Column<SheetView>> COLUMNS =
      columns(
          column("System", SheetView::system),
          column("Family", SheetView::family),
          column("Speaks", SheetView::speaks),
          column("Gets in with", SheetView::connectsWith),
          column("Saved by", SheetView::savedBy),
          column("Saved at", SheetView::savedAt));

  private SheetCommands() {}

  /** The sheet that a text names, by its system's name or its id. */
  static SheetView find(Service service, String text) throws Refused {
    return service.one(
        service.all("/sheets", SheetView.class),
        "sheet",
        text,
        SheetView::id,
        List.of(SheetView::system));
  }

  private static String text(String file) throws Refused {
    Input input = Input.of(file);
    return new String(input.bytes(MOST_TEXT), StandardCharsets.UTF_8);
  }

  /** Checks a sheet. */
  @Command(
      name = "check",
      mixinStandardHelpOptions = true,
      description = "Check a sheet; works without the service. Every flaw is shown with its line.",
      footer = {"", "Example: tolvin sheet check sheets/pierhead.yaml"})
  static final class Check implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The sheet; - for standard input.")
    private String file;

    @Override
    public Integer call() throws Refused {
      SheetText.Parsed parsed = SheetText.read(text(file));
      List<Flaw> flaws = parsed.flaws();
      show.list(
          flaws,
          "No flaws. What it says in words: tolvin sheet explain " + file,
          column("Line", Flaw::line),
          column("Flaw", Flaw::sentence));
      return flaws.isEmpty() ? 0 : 1;
    }
  }

  /** Explains a sheet. */
  @Command(
      name = "explain",
      mixinStandardHelpOptions = true,
      description = "Say in words what Tolvin would do by a sheet; works without the service.",
      footer = {"", "Example: tolvin sheet explain sheets/lazarette.yaml"})
  static final class Explain implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The sheet; - for standard input.")
    private String file;

    @Override
    public Integer call() throws Refused {
      SheetText.Parsed parsed = SheetText.read(text(file));
      if (parsed.sheet().isEmpty()) {
        throw new Refused(
            file
                + " has flaws, the first in line "
                + parsed.flaws().get(0).line()
                + ": "
                + parsed.flaws().get(0).sentence()
                + " See all: tolvin sheet check "
                + file);
      }
      List<String> lines = SheetWords.of(parsed.sheet().get());
      if (show.isTable()) {
        for (String line : lines) {
          show.out().println(Lines.folded(line, 98, "  "));
        }
        show.out().flush();
      } else {
        show.list(lines, "", column("Sentence", line -> line));
      }
      return 0;
    }
  }

  /** Prints the schema. */
  @Command(
      name = "schema",
      mixinStandardHelpOptions = true,
      description = "Print the JSON schema of sheets, for an editor; works without the service.",
      footer = {"", "Example: tolvin sheet schema > system-sheet.schema.json"})
  static final class Schema implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      try (InputStream in = SheetText.class.getResourceAsStream("system-sheet.schema.json")) {
        show.out().println(new String(in.readAllBytes(), StandardCharsets.UTF_8).strip());
        show.out().flush();
        return 0;
      } catch (IOException e) {
        throw new Refused("The schema cannot be read: " + e.getMessage());
      }
    }
  }

  /** Lists sheets. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the sheets in force.",
      footer = {"", "Example: tolvin sheet list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().page("/sheets", SheetView.class).items(),
          "No sheets. Write one by docs/system-sheets.md, and: tolvin sheet save FILE",
          COLUMNS);
      return 0;
    }
  }

  /** Shows a sheet. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a sheet as it was written.",
      footer = {"", "Example: tolvin sheet show Pierhead"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "SYSTEM", description = "The system's name, or the sheet's id.")
    private String system;

    @Override
    public Integer call() throws Refused {
      SheetView sheet = find(Service.open(), system);
      if (show.isTable()) {
        show.out().println(sheet.text().strip());
        show.out().flush();
      } else {
        show.one(sheet, COLUMNS);
      }
      return 0;
    }
  }

  /** Saves a sheet. */
  @Command(
      name = "save",
      mixinStandardHelpOptions = true,
      description = {
        "Save a sheet, as the first or the next version of its system's. Destinations "
            + "that use it have to be tested again."
      },
      footer = {"", "Example: tolvin sheet save pierhead.yaml --reason 'takes longer titles now'"})
  static final class Save implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The sheet; - for standard input.")
    private String file;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      SheetRequest wanted = new SheetRequest(text(file), reason);
      show.one(Service.open().post("/sheets", wanted, SheetView.class), COLUMNS);
      return 0;
    }
  }
}
