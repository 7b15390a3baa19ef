package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.List;
import java.util.Set;
import java.util.UUID;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.destination.AccountView;
import tolvin.api.key.KeyView;
import tolvin.api.placement.PlacementRequest;
import tolvin.api.placement.PlacementView;
import tolvin.api.placement.WithdrawalRequest;
import tolvin.api.registration.PlacingTerms;
import tolvin.api.registration.RegistrationLine;
import tolvin.api.registration.RegistrationRequest;
import tolvin.api.registration.RehearsedLineView;
import tolvin.core.estate.PlacementState;
import tolvin.core.registration.LineState;

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

  private static final List<Show.Column<PlacementView>> COLUMNS =
      columns(
          column("Account", PlacementView::account),
          column("Key", PlacementView::key),
          column("State", PlacementView::state),
          column("Title", PlacementView::title),
          column("Purpose", PlacementView::purpose),
          column("Access", PlacementView::access),
          column("Placed", PlacementView::placedAt),
          column("Ends", PlacementView::endsAt),
          column("Reference", PlacementView::reference),
          column("Reason", PlacementView::reason),
          column("Id", PlacementView::id));

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
      UUID id = AccountCommands.find(service, account).id();
      show.list(
          service.page("/placements?account=" + id, PlacementView.class).items(),
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
    @Mixin private TermsOptions terms;

    @Parameters(index = "0", paramLabel = "KEY", description = "Fingerprint, identity or id.")
    private String key;

    @Parameters(index = "1", paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Option(
        names = "--title",
        required = true,
        paramLabel = "TEXT",
        description = "Where the private key lives.")
    private String title;

    @Option(
        names = "--rehearse",
        description = "Show the exact change and what is unusual about it, and do nothing.")
    private boolean rehearse;

    private static RehearsedLineView rehearsed(
        Service service, UUID key, UUID account, PlacingTerms on) throws Refused {
      RegistrationLine line = new RegistrationLine(key.toString(), account.toString(), on);
      return service
          .postForList(
              "/registrations/rehearsal",
              new RegistrationRequest(
                  List.of(line), null, null, null, null, null, "rehearsal", null),
              RehearsedLineView.class)
          .stream()
          .findFirst()
          .orElseThrow(() -> new Refused("The service said nothing of what would be done."));
    }

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      KeyView found = KeyCommands.find(service, key);
      AccountView on = AccountCommands.find(service, account);
      PlacingTerms asked = terms.titled(title);
      PlacementRequest wanted =
          new PlacementRequest(
              found.id(),
              on.id(),
              title,
              asked.purpose(),
              asked.access(),
              asked.sources(),
              asked.endsAt(),
              asked.options());
      RehearsedLineView rehearsed = rehearsed(service, found.id(), on.id(), asked);
      if (show.isTable() || rehearse) {
        RegistrationCommands.shown(show, rehearsed);
      }
      if (rehearse) {
        return rehearsed.reason() == null ? 0 : 1;
      }
      if (rehearsed.state() == LineState.REFUSED) {
        throw new Refused(
            show.isTable() ? "Nothing was done." : String.valueOf(rehearsed.reason()));
      }
      consent.ask("Place " + found.fingerprint() + " on " + account + "?");
      return follow(
          service,
          show,
          service.post("/placements", wanted, PlacementView.class),
          Set.of(PlacementState.PLACED, PlacementState.PROVEN));
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
      PlacementView placement =
          service.get("/placements/" + Service.query(id), PlacementView.class);
      consent.ask("Withdraw " + placement.title() + " from " + placement.account() + "?");
      return follow(
          service,
          show,
          service.post(
              "/placements/" + Service.query(id) + "/withdraw",
              new WithdrawalRequest(reason, overrule),
              PlacementView.class),
          Set.of(PlacementState.WITHDRAWN));
    }
  }

  private static int follow(
      Service service, Show show, PlacementView placement, Set<PlacementState> goal)
      throws Refused {
    PlacementView now = placement;
    for (int i = 0; i < 100 && !goal.contains(now.state()); i++) {
      boolean stays =
          goal.contains(PlacementState.WITHDRAWN) && now.state() != PlacementState.WITHDRAWING;
      if (now.reason() != null && stays) {
        throw new Refused("It was not withdrawn: " + now.reason());
      }
      if (now.state() == PlacementState.WITHDRAWN) {
        throw new Refused("It does not stand there: " + now.reason());
      }
      if (now.reason() != null) {
        throw new Refused("Not done yet, it is tried again by itself: " + now.reason());
      }
      try {
        TimeUnit.MILLISECONDS.sleep(200);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new Refused("Interrupted.");
      }
      now = service.get("/placements/" + placement.id(), PlacementView.class);
    }
    show.one(now, COLUMNS);
    return goal.contains(now.state()) ? 0 : Main.WAITING;
  }
}
