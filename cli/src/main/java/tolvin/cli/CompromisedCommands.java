package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.key.CompromisedListView;

/** Lists of compromised keys. */
@Command(
    name = "compromised",
    mixinStandardHelpOptions = true,
    description = "Lists of compromised keys: list, add, remove.",
    subcommands = {
      CompromisedCommands.List_.class,
      CompromisedCommands.Add.class,
      CompromisedCommands.Remove.class
    })
final class CompromisedCommands {
  private static final int MOST = 16 * 1024 * 1024;
  private static final List<Show.Column<CompromisedListView>> COLUMNS =
      columns(
          column("Name", CompromisedListView::name),
          column("Entries", CompromisedListView::entries),
          column("Registered here", CompromisedListView::known),
          column("Loaded", CompromisedListView::loadedAt),
          column("Id", CompromisedListView::id));

  private CompromisedCommands() {}

  /** Lists the lists. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the lists in force.",
      footer = {"", "Example: tolvin compromised list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/compromised-lists", CompromisedListView.class),
          "No list is loaded.",
          COLUMNS);
      return 0;
    }
  }

  /** Loads a list. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = {
        "Load a list: fingerprints in any notation or keys, one on each line, or a "
            + "binary key revocation list. Status 1 if a registered key is on it."
      },
      footer = {"", "Example: tolvin compromised add leaked.txt --name 'leaked back-up'"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The file, or - for standard input.")
    private String file;

    @Option(names = "--name", required = true, paramLabel = "NAME", description = "Its name.")
    private String name;

    @Override
    public Integer call() throws Refused {
      Input input = Input.of(file);
      input.refusePrivateKey();
      var loaded =
          Service.open()
              .postBytes(
                  "/compromised-lists?name=" + Service.query(name),
                  input.bytes(MOST),
                  CompromisedListView.class);
      show.one(loaded, COLUMNS);
      loaded.notes().forEach(note -> System.err.println("Note: " + note));
      return loaded.known() == 0 ? 0 : 1;
    }
  }

  /** Takes a list out of force. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Take a list out of force; what it alone said against keys is forgotten.",
      footer = {"", "Example: tolvin compromised remove 'leaked back-up'"})
  static final class Remove implements Callable<Integer> {
    @Parameters(paramLabel = "NAME", description = "Its name or id.")
    private String name;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      service.delete(
          "/compromised-lists/"
              + service
                  .one(
                      service.all("/compromised-lists", CompromisedListView.class),
                      "list",
                      name,
                      CompromisedListView::id,
                      List.of(CompromisedListView::name))
                  .id());
      return 0;
    }
  }
}
