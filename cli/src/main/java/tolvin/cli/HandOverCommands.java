package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.time.Instant;
import java.util.List;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.ReasonRequest;
import tolvin.api.handover.AcceptanceRequest;
import tolvin.api.handover.HandOverView;
import tolvin.api.handover.PackageView;
import tolvin.api.handover.TheirKeyRequest;

/** Hand-overs: what somebody elsewhere has to do for us. */
@Command(
    name = "hand-over",
    mixinStandardHelpOptions = true,
    description = "What partners and holders are asked to do, with package, reply and proof.",
    subcommands = {
      HandOverCommands.List_.class,
      HandOverCommands.Show_.class,
      HandOverCommands.Pack.class,
      HandOverCommands.Ask.class,
      HandOverCommands.Accept.class,
      HandOverCommands.GiveUp.class
    })
final class HandOverCommands {
  private static final List<Show.Column<HandOverView>> COLUMNS =
      columns(
          column("Kind", HandOverView::kind),
          column("State", HandOverView::state),
          column("To", HandOverView::toWhom),
          column("Destination", HandOverView::destination),
          column("About", HandOverView::about),
          column("Due", HandOverView::dueAt),
          column("Reminders", HandOverView::reminders),
          column("Id", HandOverView::id));

  private HandOverCommands() {}

  private static String path(Service service, String text) throws Refused {
    return "/hand-overs/"
        + service.id(
            "/hand-overs?limit=200&ended=true",
            HandOverView.class,
            HandOverView::id,
            "hand-over",
            text);
  }

  /** Lists hand-overs. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List hand-overs that wait for somebody.",
      footer = {"", "Example: tolvin hand-over list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(names = "--ended", description = "Those that ended too.")
    private boolean ended;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().all("/hand-overs?limit=200&ended=" + ended, HandOverView.class),
          "Nobody is asked for anything.",
          COLUMNS);
      return 0;
    }
  }

  /** Shows one. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a hand-over.",
      footer = {"", "Example: tolvin hand-over show ID"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        paramLabel = "ID",
        description = "The hand-over's id, or the first characters of it.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.get(path(service, id), HandOverView.class),
          column("Kind", HandOverView::kind),
          column("State", HandOverView::state),
          column("To", HandOverView::toWhom),
          column("Reached by", HandOverView::contact),
          column("Asked", HandOverView::whatToDo),
          column("Key", HandOverView::key),
          column("Due", HandOverView::dueAt),
          column("Made", HandOverView::madeAt),
          column("Replied", HandOverView::replyName),
          column("Reply", HandOverView::reply),
          column("Their key", HandOverView::replyFingerprint),
          column("Reminders", HandOverView::reminders),
          column("Last trial", HandOverView::lastTrial),
          column("Confirmed", HandOverView::confirmedAt));
      return 0;
    }
  }

  /** Gives the package out. */
  @Command(
      name = "package",
      mixinStandardHelpOptions = true,
      description = {
        "Print the package to be sent: what to do, the key in their form, the "
            + "fingerprints to be read over the telephone, and a link that can be used for "
            + "one reply. A link given before ends."
      },
      footer = {"", "Example: tolvin hand-over package ID > customs.txt"})
  static final class Pack implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        paramLabel = "ID",
        description = "The hand-over's id, or the first characters of it.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      PackageView pack = service.post(path(service, id) + "/package", null, PackageView.class);
      if (show.isTable()) {
        System.out.print(pack.text());
      } else {
        show.one(pack, column("Text", PackageView::text), column("Link", PackageView::link));
      }
      return 0;
    }
  }

  /** Asks for a key of theirs. */
  @Command(
      name = "ask",
      mixinStandardHelpOptions = true,
      description =
          "Ask a partner for the public key that they sign in to an account of ours with.",
      footer = {
        "",
        "Example: tolvin hand-over ask customs@sftp.skerrymoor.example --to 'Customs "
            + "office' --contact"
            + " '+00 1 23 45'"
      })
  static final class Ask implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ACCOUNT", description = "LOGIN@DESTINATION or id.")
    private String account;

    @Option(names = "--to", required = true, paramLabel = "NAME", description = "Who is asked.")
    private String to;

    @Option(
        names = "--contact",
        required = true,
        paramLabel = "TEXT",
        description = "How they are reached, from elsewhere than their mail.")
    private String contact;

    @Option(names = "--by", paramLabel = "MOMENT", description = "Until when; a week if absent.")
    private Instant by;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      TheirKeyRequest wanted =
          new TheirKeyRequest(AccountCommands.find(service, account).id(), to, contact, by);
      show.one(service.post("/hand-overs", wanted, HandOverView.class), COLUMNS);
      return 0;
    }
  }

  /** Believes a key of theirs. */
  @Command(
      name = "accept",
      mixinStandardHelpOptions = true,
      description = {
        "Believe the key that a partner gave, after they read its fingerprint to you "
            + "over the telephone; it is registered and placed. Another fingerprint is "
            + "refused."
      },
      footer = {
        "",
        "Example: tolvin hand-over accept ID --fingerprint SHA256:… --identity customs"
      })
  static final class Accept implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        paramLabel = "ID",
        description = "The hand-over's id, or the first characters of it.")
    private String id;

    @Option(
        names = "--fingerprint",
        required = true,
        paramLabel = "FINGERPRINT",
        description = "As they read it out, in either notation.")
    private String fingerprint;

    @Option(
        names = "--identity",
        required = true,
        paramLabel = "NAME",
        description = "Whose the key is.")
    private String identity;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.post(
              path(service, id) + "/accept",
              new AcceptanceRequest(fingerprint, IdentityCommands.id(service, identity)),
              HandOverView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Gives one up. */
  @Command(
      name = "give-up",
      mixinStandardHelpOptions = true,
      description = "Give a hand-over up; its link ends.",
      footer = {"", "Example: tolvin hand-over give-up ID --reason 'asked twice'"})
  static final class GiveUp implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(
        paramLabel = "ID",
        description = "The hand-over's id, or the first characters of it.")
    private String id;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.post(
              path(service, id) + "/give-up", new ReasonRequest(reason), HandOverView.class),
          COLUMNS);
      return 0;
    }
  }
}
