package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import tolvin.api.coffer.RewrappedView;

/** The coffer. */
@Command(
    name = "coffer",
    mixinStandardHelpOptions = true,
    description = "The coffer, where private keys and secrets lie encrypted: rewrap.",
    subcommands = {CofferCommands.Rewrap.class})
final class CofferCommands {
  private CofferCommands() {}

  /** Exchanges the master key. */
  @Command(
      name = "rewrap",
      mixinStandardHelpOptions = true,
      description =
          "Exchange the master key while the service runs: every secret is wrapped by a new one, and"
              + " the former one is dropped. It asks for your password.",
      footer = {
        "",
        "The service writes the new key into master-key.json in its data directory; keep a copy of it"
            + " where the one before was kept. The one before lies beside, as master-key-before.json:"
            + " put it with the backups of the database that were made until now, which only it can"
            + " open, and delete it there.",
        "Example: tolvin coffer rewrap"
      })
  static final class Rewrap implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.one(
          Service.open().post("/coffer/rewrap", null, RewrappedView.class),
          column("Secrets wrapped anew", RewrappedView::entries));
      return 0;
    }
  }
}
