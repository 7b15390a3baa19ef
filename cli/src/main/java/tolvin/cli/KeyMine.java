package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

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
    JsonNode own = Service.open().get("/mine");
    show.list(
        own.get("keys"),
        "You have no keys. Make one with: tolvin key make ~/.ssh/id_tolvin",
        column("Fingerprint", "/fingerprint"),
        column("Identity", "/identity"),
        column("Custody", "/custody"),
        column("Proven", "/proven"),
        column("Tried", "/triedAt"));
    if (show.isTable()) {
      own.get("accounts").forEach(a -> show.out().println("Account: " + a.get("account").asText()));
      show.out().flush();
    }
    return 0;
  }
}
