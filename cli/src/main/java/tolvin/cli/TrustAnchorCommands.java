package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.nio.charset.StandardCharsets;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import tolvin.api.proof.TrustAnchorRequest;
import tolvin.api.proof.TrustAnchorView;

/** Trust anchors: whose attestations of security keys are believed. */
@Command(
    name = "trust-anchor",
    mixinStandardHelpOptions = true,
    description =
        "Manufacturers of security keys whose attestations are believed: list, add, remove.",
    subcommands = {
      TrustAnchorCommands.List_.class,
      TrustAnchorCommands.Add.class,
      TrustAnchorCommands.Remove.class
    })
final class TrustAnchorCommands {
  private TrustAnchorCommands() {}

  private static final List<Show.Column<TrustAnchorView>> COLUMNS =
      columns(
          column("Maker", TrustAnchorView::name),
          column("Fingerprint", TrustAnchorView::fingerprint),
          column("Since", TrustAnchorView::validFrom),
          column("Id", TrustAnchorView::id));

  /** Lists anchors. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the anchors that are believed.",
      footer = {"", "Example: tolvin trust-anchor list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/trust-anchors", TrustAnchorView.class),
          "No trust anchors. Add one with: tolvin trust-anchor add CERTIFICATE.pem",
          COLUMNS);
      return 0;
    }
  }

  /** Adds a trust anchor. */
  @Command(
      name = "add",
      mixinStandardHelpOptions = true,
      description = "Believe a maker's attestations: its root certificate in PEM.",
      footer = {"", "Example: tolvin trust-anchor add gannet-root.pem"})
  static final class Add implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "FILE", description = "The certificate, or - for standard input.")
    private String file;

    @Override
    public Integer call() throws Refused {
      String pem = new String(Input.of(file).bytes(64 * 1024), StandardCharsets.US_ASCII);
      show.one(
          Service.open().post("/trust-anchors", new TrustAnchorRequest(pem), TrustAnchorView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Removes a trust anchor. */
  @Command(
      name = "remove",
      mixinStandardHelpOptions = true,
      description = "Believe a maker's attestations no longer; what was proven stays on record.",
      footer = {"", "Example: tolvin trust-anchor remove ID"})
  static final class Remove implements Callable<Integer> {
    @Parameters(paramLabel = "ID", description = "Its id.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service.open().delete("/trust-anchors/" + Service.query(id));
      return 0;
    }
  }
}
