package tolvin.cli;

import static tolvin.cli.Show.column;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.sweep.FindingGroupView;
import tolvin.api.sweep.FindingView;
import tolvin.api.sweep.SettlingRequest;
import tolvin.api.sweep.SettlingStepView;
import tolvin.core.estate.Custody;
import tolvin.core.sweep.Action;
import tolvin.core.sweep.FindingKind;
import tolvin.core.sweep.FindingState;
import tolvin.core.sweep.Severity;
import tolvin.core.word.Words;

/** Findings, and the actions that settle them. */
@Command(
    name = "finding",
    mixinStandardHelpOptions = true,
    description = "What differs from what should be there, and the actions that settle it.",
    subcommands = {
      FindingCommands.List_.class,
      FindingCommands.Show_.class,
      FindingCommands.Adopt.class,
      FindingCommands.Restore.class,
      FindingCommands.Withdraw.class,
      FindingCommands.Accept.class
    })
final class FindingCommands {
  private FindingCommands() {}

  private static String id(Service service, String text) throws Refused {
    return service.id("/findings?limit=500", FindingView.class, FindingView::id, "finding", text);
  }

  /** How many there are of each kind. */
  static void groups(Service service, Show show, UUID destination) throws Refused {
    show.list(
        service.list(
            "/findings/groups" + (destination == null ? "" : "?destination=" + destination),
            FindingGroupView.class),
        "No drift found.",
        column("Severity", FindingGroupView::severity),
        column("What", FindingGroupView::title),
        column("Open", FindingGroupView::count),
        column("Kind", FindingGroupView::kind));
  }

  private static UUID uuid(String id) throws Refused {
    try {
      return UUID.fromString(id);
    } catch (IllegalArgumentException no) {
      throw new Refused("“" + id + "” is no id of a finding. List the findings to see.");
    }
  }

  /** Which findings are meant. */
  static final class Which {
    @Option(
        names = "--destination",
        paramLabel = "DESTINATION",
        description = "Only those on a destination.")
    private String destination;

    @Option(names = "--kind", paramLabel = "KIND", description = "Only those of a kind.")
    private FindingKind kind;

    @Option(
        names = "--severity",
        paramLabel = "SEVERITY",
        description = "Only critical, major or minor ones.")
    private Severity severity;

    @Option(names = "--search", paramLabel = "TEXT", description = "Only those that mention it.")
    private String search;

    private boolean isAny() {
      return destination != null || kind != null || severity != null || search != null;
    }

    List<FindingView> find(Service service, FindingState state) throws Refused {
      StringBuilder path = new StringBuilder("/findings?limit=500&state=" + Words.of(state));
      if (destination != null) {
        path.append("&destination=").append(DestinationCommands.find(service, destination).id());
      }
      if (kind != null) {
        path.append("&kind=").append(Words.of(kind));
      }
      if (severity != null) {
        path.append("&severity=").append(Words.of(severity));
      }
      if (search != null) {
        path.append("&search=").append(Service.query(search));
      }
      return service.all(path.toString(), FindingView.class);
    }
  }

  /** Lists findings. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List findings.",
      footer = {"", "Example: tolvin finding list --kind unknown-key"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Which which;

    @Option(
        names = "--state",
        defaultValue = "open",
        paramLabel = "STATE",
        description = "open, accepted or settled. Default: open.")
    private FindingState state;

    @Override
    public Integer call() throws Refused {
      show.list(
          which.find(Service.open(), state),
          "No findings. See what is really there with: tolvin sweep run",
          column("Severity", FindingView::severity),
          column("What", FindingView::title),
          column("Where", f -> f.account() == null ? f.destination() : f.account()),
          column("Since", FindingView::firstSeenAt),
          column("Again", FindingView::cameBack),
          column("Id", FindingView::id));
      return 0;
    }
  }

  /** Shows one. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a finding with what was seen and what to do.",
      footer = {"", "Example: tolvin finding show ID"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ID", description = "The finding's id, or the first characters of it.")
    private String id;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      show.one(
          service.get("/findings/" + id(service, id), FindingView.class),
          column("What", FindingView::title),
          column("Severity", FindingView::severity),
          column("Where", FindingView::account),
          column("Destination", FindingView::destination),
          column("Sentence", FindingView::sentence),
          column("Seen", FindingView::evidence),
          column("Remedy", FindingView::remedy),
          column("Settled by", FindingView::actions),
          column("Perhaps whose", FindingView::suggestion),
          column("First seen", FindingView::firstSeenAt),
          column("Last seen", FindingView::seenAt),
          column("Came back", FindingView::cameBack),
          column("Accepted until", FindingView::acceptedUntil),
          column("Accepted because", FindingView::acceptedBecause),
          column("Settled at", FindingView::settledAt),
          column("Settled by action", FindingView::settledBy));
      return 0;
    }
  }

  /** What every action has in common: which findings, a look at what would be done, a yes. */
  abstract static class Settle implements Callable<Integer> {
    private static final int AT_ONCE = 200;

    @Mixin private Show show;
    @Mixin private Which which;
    @Mixin private Consent consent;

    @Parameters(arity = "0..*", paramLabel = "ID", description = "Findings by their ids.")
    private List<String> ids = new ArrayList<>();

    @Option(
        names = "--reason",
        required = true,
        paramLabel = "TEXT",
        description = "Why, for the journal.")
    private String reason;

    @Option(names = "--ticket", paramLabel = "TICKET", description = "A ticket number.")
    private String ticket;

    @Option(names = "--rehearse", description = "Show what would be done, and do nothing.")
    private boolean rehearse;

    private final Action action;

    Settle(Action action) {
      this.action = action;
    }

    /** What is asked for of some findings. */
    abstract SettlingRequest asked(Service service, List<UUID> ids) throws Refused;

    SettlingRequest asked(
        List<UUID> ids,
        UUID identity,
        Boolean bySuggestion,
        Custody custody,
        Instant until,
        Boolean overrule) {
      return new SettlingRequest(
          action, ids, identity, bySuggestion, custody, until, reason, ticket, overrule);
    }

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      List<UUID> wanted = new ArrayList<>();
      for (String id : ids) {
        wanted.add(uuid(id(service, id)));
      }
      if (which.isAny()) {
        which.find(service, FindingState.OPEN).forEach(f -> wanted.add(f.id()));
      }
      if (wanted.isEmpty()) {
        throw new Refused("Say which findings: ids, or --kind, --destination, --search.");
      }
      List<SettlingStepView> preview = inParts(service, "/findings/preview", wanted);
      if (show.isTable() || rehearse) {
        table(preview);
      }
      int impossible = impossible(preview);
      if (rehearse) {
        return impossible > 0 ? 1 : 0;
      }
      int possible = preview.size() - impossible;
      if (possible == 0) {
        return 1;
      }
      consent.ask("Settle " + possible + " of " + preview.size() + " findings so?");
      List<SettlingStepView> done = inParts(service, "/findings/settle", wanted);
      int failed = impossible(done);
      if (failed > impossible || !show.isTable()) {
        table(done); // what the preview did not foresee, or what a program wants to know
      }
      if (show.isTable()) {
        System.out.println(done.size() - failed + " settled, " + failed + " not.");
      }
      return failed > 0 ? 1 : 0;
    }

    /** Asks for so many at once as one request may name. */
    private List<SettlingStepView> inParts(Service service, String path, List<UUID> ids)
        throws Refused {
      List<SettlingStepView> all = new ArrayList<>();
      for (int i = 0; i < ids.size(); i += AT_ONCE) {
        SettlingRequest part = asked(service, ids.subList(i, Math.min(i + AT_ONCE, ids.size())));
        all.addAll(service.postForList(path, part, SettlingStepView.class));
      }
      return all;
    }

    /** Whole sentences: whose a key becomes must not be cut off. */
    private void table(List<SettlingStepView> steps) {
      if (show.isTable()) {
        steps.forEach(
            step -> System.out.println((step.possible() ? "✓ " : "✗ ") + step.sentence()));
        return;
      }
      show.list(
          steps,
          "Nothing to do.",
          column("Possible", SettlingStepView::possible),
          column("What", SettlingStepView::sentence));
    }

    private static int impossible(List<SettlingStepView> steps) {
      int impossible = 0;
      for (SettlingStepView step : steps) {
        impossible += step.possible() ? 0 : 1;
      }
      return impossible;
    }
  }

  /** Adopts. */
  @Command(
      name = "adopt",
      mixinStandardHelpOptions = true,
      description =
          "Take what stands there into the record: the key, whose it is, where it stands.",
      footer = {
        "",
        "Example: tolvin finding adopt ID --identity 'Isla Renwick' --reason 'asked her'"
      })
  static final class Adopt extends Settle {
    @Option(names = "--identity", paramLabel = "NAME", description = "Whose the key is.")
    private String identity;

    @Option(
        names = "--by-suggestion",
        description = "Give each key to whom its comment suggests, where it suggests one.")
    private boolean bySuggestion;

    @Option(
        names = "--custody",
        paramLabel = "CUSTODY",
        description = "machine, device, module or elsewhere. Default: elsewhere.")
    private Custody custody;

    Adopt() {
      super(Action.ADOPT);
    }

    @Override
    SettlingRequest asked(Service service, List<UUID> ids) throws Refused {
      UUID of = identity == null ? null : IdentityCommands.id(service, identity);
      return asked(ids, of, bySuggestion, custody, null, null);
    }
  }

  /** Restores. */
  @Command(
      name = "restore",
      mixinStandardHelpOptions = true,
      description = "Restore it as it is on record.",
      footer = {"", "Example: tolvin finding restore --kind missing --reason 'overwritten'"})
  static final class Restore extends Settle {
    Restore() {
      super(Action.RESTORE);
    }

    @Override
    SettlingRequest asked(Service service, List<UUID> ids) {
      return asked(ids, null, null, null, null, null);
    }
  }

  /** Withdraws. */
  @Command(
      name = "withdraw",
      mixinStandardHelpOptions = true,
      description = {
        "Take it out. Refused where a client could not sign in any more, or where the "
            + "key was used in the last 90 days by somebody of whom nothing is known."
      },
      footer = {"", "Example: tolvin finding withdraw ID --reason 'unknown to everybody'"})
  static final class Withdraw extends Settle {
    @Option(
        names = "--overrule",
        description = "Also if somebody cannot sign in any more; the refusal says who.")
    private boolean overrule;

    Withdraw() {
      super(Action.WITHDRAW);
    }

    @Override
    SettlingRequest asked(Service service, List<UUID> ids) {
      return asked(ids, null, null, null, null, overrule);
    }
  }

  /** Accepts. */
  @Command(
      name = "accept",
      mixinStandardHelpOptions = true,
      description = "Leave it as it is until a date, for a reason.",
      footer = {
        "",
        "Example: tolvin finding accept ID --until 2027-03-31T00:00:00Z --reason 'the "
            + "yard moves'"
      })
  static final class Accept extends Settle {
    @Option(
        names = "--until",
        required = true,
        paramLabel = "MOMENT",
        description = "Until when, such as 2027-03-31T00:00:00Z.")
    private Instant until;

    Accept() {
      super(Action.ACCEPT);
    }

    @Override
    SettlingRequest asked(Service service, List<UUID> ids) {
      return asked(ids, null, null, null, until, null);
    }
  }
}
