package tolvin.cli;

import static tolvin.cli.Show.column;

import java.nio.charset.StandardCharsets;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

/** Makers of security keys. */
@Command(
    name = "maker",
    mixinStandardHelpOptions = true,
    description = "Makers of security keys whose attestations are believed: list, add, remove.",
    subcommands = {MakerCommands.List_.class, MakerCommands.Add.class, MakerCommands.Remove.class})
final class MakerCommands {
  private MakerCommands() {}

  private static final Show.Column[] COLUMNS = {
    column("Maker", "/name"),
    column("Fingerprint", "/fingerprint"),
    column("Since", "/validFrom"),
    column("Id", "/id")
  };

  /** Lists makers. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the makers that are believed.",
      footer = {"", "Example: tolvin maker list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/makers"),
          "No makers. Add one with: tolvin maker add CERTIFICATE.pem",
          COLUMNS);
      return 0;
    }
  }

  /** Adds a maker. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Believe a maker's attestations: its root certificate in PEM.",
      footer = {"", "Example: tolvin maker add gannet-root.pem"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The certificate, or - for standard input.")
    private String file;

    @Override
    public Integer call() throws Refused {
      String pem = new String(Input.of(file).bytes(64 * 1024), StandardCharsets.US_ASCII);
      show.one(Service.open().post("/makers", Map.of("certificate", pem)), COLUMNS);
      return 0;
    }
  }

  /** Removes a maker. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Believe a maker's attestations no longer; what was proven stays on record.",
      footer = {"", "Example: tolvin maker remove ID"})
  static final class Remove implements Callable<Integer> {
    @Parameters(paramLabel = "ID", description = "Its id.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service.open().delete("/makers/" + Service.query(id));
      return 0;
    }
  }
}
