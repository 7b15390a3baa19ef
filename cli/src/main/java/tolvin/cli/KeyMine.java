package tolvin.cli;

import static tolvin.cli.Show.column;

import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import tolvin.api.mine.OwnKeyView;
import tolvin.api.mine.OwnView;

/** One's own keys and accounts. */
@Command(
    name = "mine",
    mixinStandardHelpOptions = true,
    description = "Your own keys, those of service accounts that you answer for, your accounts.",
    footer = {"", "Example: tolvin key mine"})
final class KeyMine implements Callable<Integer> {
  @Mixin private Show show;

  @Override
  public Integer call() throws Refused {
    OwnView own = Own.own(Service.open());
    show.list(
        own.keys(),
        "You have no keys. Make one with: tolvin key make ~/.ssh/id_tolvin",
        column("Fingerprint", OwnKeyView::fingerprint),
        column("Identity", OwnKeyView::identity),
        column("Custody", OwnKeyView::custody),
        column("Proven", OwnKeyView::proven),
        column("Tested", OwnKeyView::testedAt));
    if (show.isTable()) {
      own.accounts().forEach(a -> show.out().println("Account: " + a.account()));
      show.out().flush();
    }
    return 0;
  }
}
