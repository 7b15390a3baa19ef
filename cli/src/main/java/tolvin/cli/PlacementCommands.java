package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Placements. */
@Command(
    name = "placement",
    mixinStandardHelpOptions = true,
    description = "Keys on accounts: list, place, withdraw.",
    subcommands = {
      PlacementCommands.List_.class,
      PlacementCommands.Place.class,
      PlacementCommands.Withdraw.class
    })
final class PlacementCommands {
  private PlacementCommands() {}

  private static final Show.Column[] COLUMNS = {
    column("Account", "/account"),
    column("Key", "/key"),
    column("State", "/state"),
    column("Title", "/title"),
    column("Access", "/access"),
    column("Reference", "/reference"),
    column("Reason", "/reason"),
    column("Id", "/id")
  };

  /** Lists the placements on an account. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List the keys on an account.",
      footer = {"", "Example: tolvin placement list fuel@sftp.skerrymoor.example"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      String id = AccountCommands.find(service, account).get("id").asText();
      show.list(
          service.get("/placements?account=" + id).get("items"),
          "Tolvin has placed no key there.",
          COLUMNS);
      return 0;
    }
  }

  /** Places a key. */
  @Command(
      name = "place",
      mixinStandardHelpOptions = true,
      description = "Place a key on an account and wait until it stands there.",
      footer = {
        "",
        "Example: tolvin placement place crane-feed crane@sftp.skerrymoor.example --title 'crane log'"
      })
  static final class Place implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Parameters(index = "0", paramLabel = "KEY", description = "Fingerprint, identity or id.")
    private String key;

    @Parameters(index = "1", paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Option(
        names = "--title",
        required = true,
        paramLabel = "TEXT",
        description = "Where the private half lives.")
    private String title;

    @Option(
        names = "--purpose",
        paramLabel = "PURPOSE",
        description = "sign-in or signing. Default: sign-in.")
    private String purpose;

    @Option(
        names = "--access",
        paramLabel = "ACCESS",
        description = "read or write. Default: write.")
    private String access;

    @Option(
        names = "--source",
        paramLabel = "ADDRESS",
        description = "An address, network or host name pattern that it is good from; repeatable.")
    private List<String> sources = List.of();

    @Option(
        names = "--option",
        paramLabel = "OPTION",
        description =
            "Another option of its line in authorized_keys, such as restrict or command=\"…\";"
                + " repeatable.")
    private List<String> options = List.of();

    @Option(
        names = "--until",
        paramLabel = "MOMENT",
        description = "When the destination stops accepting it, such as 2027-03-31T00:00:00Z.")
    private String until;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode found = KeyCommands.find(service, key);
      JsonNode on = AccountCommands.find(service, account);
      consent.ask("Place " + found.get("fingerprint").asText() + " on " + account + "?");
      Map<String, Object> wish = new LinkedHashMap<>();
      wish.put("keyId", found.get("id").asText());
      wish.put("accountId", on.get("id").asText());
      wish.put("title", title);
      wish.put("purpose", purpose);
      wish.put("access", access);
      wish.put("sources", sources);
      wish.put("options", options);
      wish.put("endsAt", until);
      JsonNode placement = service.post("/placements", wish);
      return follow(service, show, placement, Set.of("placed", "proven"));
    }
  }

  /** Withdraws a placement. */
  @Command(
      name = "withdraw",
      mixinStandardHelpOptions = true,
      description = "Withdraw a placement; refused while something would break.",
      footer = {"", "Example: tolvin placement withdraw ID --reason 'laptop returned'"})
  static final class Withdraw implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;

    @Option(
        names = "--overrule",
        description = "Also if somebody cannot sign in any more; the refusal says who.")
    private boolean overrule;

    @Parameters(paramLabel = "ID", description = "The placement's id.")
    private String id;

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      JsonNode placement = service.get("/placements/" + Service.query(id));
      consent.ask(
          "Withdraw "
              + placement.get("title").asText()
              + " from "
              + placement.get("account").asText()
              + "?");
      return follow(
          service,
          show,
          service.post(
              "/placements/" + Service.query(id) + "/withdraw",
              Map.of("reason", reason, "overrule", overrule)),
          Set.of("withdrawn"));
    }
  }

  private static int follow(Service service, Show show, JsonNode placement, Set<String> goal)
      throws Refused {
    JsonNode now = placement;
    for (int i = 0; i < 100 && !goal.contains(now.get("state").asText()); i++) {
      boolean stays =
          goal.contains("withdrawn") && !now.get("state").asText().equals("withdrawing");
      if (now.hasNonNull("reason") && stays) {
        throw new Refused("It was not withdrawn: " + now.get("reason").asText());
      }
      if (now.hasNonNull("reason")) {
        throw new Refused(
            "Not done yet, it is tried again by itself: " + now.get("reason").asText());
      }
      try {
        TimeUnit.MILLISECONDS.sleep(200);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new Refused("Interrupted.");
      }
      now = service.get("/placements/" + placement.get("id").asText());
    }
    show.one(now, COLUMNS);
    return goal.contains(now.get("state").asText()) ? 0 : Main.WAITING;
  }
}
