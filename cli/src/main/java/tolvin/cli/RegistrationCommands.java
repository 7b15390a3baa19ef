package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import java.util.concurrent.TimeUnit;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.ReasonRequest;
import tolvin.api.registration.Choice;
import tolvin.api.registration.RegistrationLine;
import tolvin.api.registration.RegistrationLineView;
import tolvin.api.registration.RegistrationRequest;
import tolvin.api.registration.RegistrationView;
import tolvin.api.registration.RehearsedLineView;
import tolvin.core.registration.LineState;
import tolvin.core.registration.RegistrationState;
import tolvin.core.word.Words;

/** Registrations of many keys. */
@Command(
    name = "registration",
    mixinStandardHelpOptions = true,
    description =
        "Many keys placed on many accounts with one decision: run, list, show, go-on, cancel.",
    subcommands = {
      RegistrationCommands.Run.class,
      RegistrationCommands.List_.class,
      RegistrationCommands.Show_.class,
      RegistrationCommands.GoOn.class,
      RegistrationCommands.Cancel.class
    })
final class RegistrationCommands {
  private static final int MOST_BYTES = 1 << 20;

  private RegistrationCommands() {}

  private static final List<Show.Column<RegistrationView>> COLUMNS =
      columns(
          column("State", RegistrationView::state),
          column("Keys", RegistrationView::count),
          column("Done", RegistrationView::done),
          column("There already", RegistrationView::thereAlready),
          column("Asked", RegistrationView::asked),
          column("On its way", RegistrationView::onItsWay),
          column("Waiting", RegistrationView::waiting),
          column("Refused", RegistrationView::refused),
          column("Failed", RegistrationView::failed),
          column("Cancelled", RegistrationView::cancelled),
          column("Reason", RegistrationView::reason),
          column("Ticket", RegistrationView::ticket),
          column("Begun by", RegistrationView::begunBy),
          column("Begun at", RegistrationView::begunAt),
          column("Ended at", RegistrationView::endedAt),
          column("Id", RegistrationView::id));

  private static final List<Show.Column<RegistrationView>> LISTED =
      columns(
          column("State", RegistrationView::state),
          column("Keys", RegistrationView::count),
          column("Done", r -> r.done() + r.thereAlready()),
          column("Not done", r -> r.refused() + r.failed() + r.cancelled()),
          column("Reason", RegistrationView::reason),
          column("Begun at", RegistrationView::begunAt),
          column("Id", RegistrationView::id));

  private static final List<Show.Column<RegistrationLineView>> LINES =
      columns(
          column("Account", RegistrationLineView::account),
          column("Key", RegistrationLineView::key),
          column("State", RegistrationLineView::state),
          column("Placement", RegistrationLineView::placement),
          column("Reason", RegistrationLineView::reason));

  /** Which keys, on which accounts. */
  static final class What {
    @Option(
        names = "--key",
        paramLabel = "KEY",
        description = "A fingerprint, an identity with one key, or an id; repeatable.")
    private List<String> keys = List.of();

    @Option(
        names = "--keys-search",
        paramLabel = "TEXT",
        description = "All keys that a search finds, as in: tolvin key list --search TEXT")
    private String keysSearch;

    @Option(
        names = "--keys-of-team",
        paramLabel = "TEAM",
        description = "All keys of a team's identities.")
    private String keysOfTeam;

    @Option(
        names = "--account",
        paramLabel = "ACCOUNT",
        description = {
          "LOGIN@DESTINATION or id; repeatable. With - the accounts are read from standard input, "
              + "one on a line."
        })
    private List<String> accounts = List.of();

    @Option(
        names = "--accounts-search",
        paramLabel = "TEXT",
        description = "All accounts that a search finds, as in: tolvin account list --search TEXT")
    private String accountsSearch;

    @Option(
        names = "--accounts-of-team",
        paramLabel = "TEAM",
        description = "All accounts that belong to a team's identities or hold their keys.")
    private String accountsOfTeam;

    @Option(
        names = "--table",
        paramLabel = "FILE",
        description = {
          "A table in CSV, or a list in YAML, with key and account on each line, and perhaps title, "
              + "purpose, access, sources, until, options. With - from standard input."
        })
    private String table;

    private boolean isChosen() {
      return !keys.isEmpty()
          || keysSearch != null
          || keysOfTeam != null
          || !accounts.isEmpty()
          || accountsSearch != null
          || accountsOfTeam != null;
    }

    private List<String> accounts() throws Refused {
      List<String> all = new ArrayList<>();
      for (String account : accounts) {
        if (account.equals("-")) {
          new String(Input.of("-").bytes(MOST_BYTES), StandardCharsets.UTF_8)
              .lines()
              .map(String::strip)
              .filter(line -> !line.isEmpty() && !line.startsWith("#"))
              .forEach(all::add);
        } else {
          all.add(account);
        }
      }
      return all;
    }
  }

  /** Places them. */
  @Command(
      name = "run",
      mixinStandardHelpOptions = true,
      description = {
        "Place each of some keys on each of some accounts, or the lines of a table. One is placed "
            + "and tried before the others; then so many at once on each destination. May be "
            + "repeated: what is there already is only counted."
      },
      footer = {
        "",
        "Example: tolvin registration run --key crane-feed --accounts-search sftp "
            + "--reason 'crane log' --rehearse",
        "Example: tolvin registration run --table keys.csv --reason 'new yard' --yes"
      })
  static final class Run implements Callable<Integer> {
    @Mixin private Show show;
    @Mixin private Consent consent;
    @Mixin private TermsOptions terms;
    @Mixin private What what;

    @Option(
        names = "--title",
        paramLabel = "TEXT",
        description = "Where the private key lives. Default: the key's comment.")
    private String title;

    @Option(
        names = "--at-once",
        paramLabel = "COUNT",
        description = "How many are placed at once on one destination. Default: 4.")
    private Integer atOnce;

    @Option(names = "--untested", description = "Begin all at once, none tried before the others.")
    private boolean untested;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    @Option(names = "--ticket", paramLabel = "TICKET", description = "A ticket number.")
    private String ticket;

    @Option(
        names = "--rehearse",
        description = "Show the exact change on every system, and do nothing.")
    private boolean rehearse;

    @Option(names = "--no-follow", description = "Begin it, and do not wait until it is done.")
    private boolean noFollow;

    @Override
    public Integer call() throws Refused {
      if (what.table == null && !what.isChosen()) {
        throw new Refused(
            "Say which keys and accounts: --key and --account, a search, a team, or --table FILE.");
      }
      Service service = Service.open();
      RegistrationRequest request = request();
      List<RehearsedLineView> lines =
          service.postForList("/registrations/rehearsal", request, RehearsedLineView.class);
      long possible = lines.stream().filter(l -> isToBeDone(l.state())).count();
      if (show.isTable() || rehearse) {
        rehearsed(lines);
      }
      if (rehearse) {
        return lines.stream().anyMatch(l -> l.reason() != null) ? 1 : 0;
      }
      if (possible > 0) {
        consent.ask("Place " + possible + " of " + lines.size() + " so?");
      }
      RegistrationView begun = service.post("/registrations", request, RegistrationView.class);
      return noFollow ? shown(begun) : follow(service, begun);
    }

    private static boolean isToBeDone(LineState state) {
      return state == LineState.WAITING || state == LineState.ASKED;
    }

    private RegistrationRequest request() throws Refused {
      List<RegistrationLine> lines = what.table == null ? null : RegistrationTable.read(what.table);
      boolean chosen = what.isChosen();
      return new RegistrationRequest(
          lines,
          chosen ? new Choice(what.keys, what.keysSearch, what.keysOfTeam) : null,
          chosen ? new Choice(what.accounts(), what.accountsSearch, what.accountsOfTeam) : null,
          terms.titled(title),
          atOnce,
          !untested,
          reason,
          ticket);
    }

    private void rehearsed(List<RehearsedLineView> lines) {
      if (!show.isTable()) {
        show.list(
            lines,
            "",
            column("Account", RehearsedLineView::account),
            column("Key", RehearsedLineView::key),
            column("State", RehearsedLineView::state),
            column("Title", RehearsedLineView::title),
            column("Reason", RehearsedLineView::reason),
            column("Look twice", RehearsedLineView::crossings),
            column("File", l -> l.change() == null ? null : l.change().file()),
            column("Removed", l -> l.change() == null ? null : l.change().removed()),
            column("Added", l -> l.change() == null ? null : l.change().added()));
        return;
      }
      for (RehearsedLineView line : lines) {
        RegistrationCommands.shown(show, line);
      }
      show.out()
          .println(
              lines.stream()
                      .collect(
                          Collectors.groupingBy(
                              RehearsedLineView::state, TreeMap::new, Collectors.counting()))
                      .entrySet()
                      .stream()
                      .map(e -> e.getValue() + " " + said(e))
                      .collect(Collectors.joining(", "))
                  + (rehearse ? ". Nothing was changed." : "."));
      show.out().flush();
    }

    private static String said(Map.Entry<LineState, Long> counted) {
      return switch (counted.getKey()) {
        case WAITING -> "to be placed";
        case ASKED -> "to be asked of their administrator";
        default -> Words.said(counted.getKey());
      };
    }

    private int shown(RegistrationView registration) {
      show.one(registration, COLUMNS);
      return 0;
    }

    private int follow(Service service, RegistrationView begun) throws Refused {
      RegistrationView now = begun;
      while (!isAtRest(now)) {
        if (show.isTable()) {
          long over = now.count() - now.waiting() - now.onItsWay();
          System.err.printf("\r%d of %d (%s) ", over, now.count(), Words.said(now.state()));
        }
        pause();
        now = service.get("/registrations/" + begun.id(), RegistrationView.class);
      }
      if (show.isTable()) {
        System.err.print("\r" + " ".repeat(40) + "\r");
      }
      show.one(now, COLUMNS);
      if (show.isTable()) {
        notDone(service, show, now);
      }
      return status(now);
    }

    private static void pause() throws Refused {
      try {
        TimeUnit.MILLISECONDS.sleep(200);
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
        throw new Refused("Interrupted; the registration goes on.");
      }
    }
  }

  /** What would become of a line, for people. */
  static void shown(Show show, RehearsedLineView line) {
    if (line.change() != null) {
      Changes.show(show.out(), line.change());
    } else {
      show.out().println(Words.said(line.state()) + "  " + line.account());
      show.out().println("  " + line.key());
    }
    if (line.reason() != null) {
      show.out().println("  " + Lines.folded(line.reason(), 96, "  "));
    }
    for (String crossing : line.crossings()) {
      show.out().println("  look twice: " + Lines.folded(crossing, 84, "  "));
    }
  }

  private static boolean isAtRest(RegistrationView registration) {
    return registration.state() == RegistrationState.STOPPED
        || registration.endedAt() != null && registration.onItsWay() == 0;
  }

  private static int status(RegistrationView registration) {
    if (registration.state() == RegistrationState.STOPPED || registration.asked() > 0) {
      return Main.WAITING;
    }
    return registration.refused() + registration.failed() + registration.cancelled() > 0 ? 1 : 0;
  }

  /** The lines that are not done, with their reasons, and what to do next. */
  private static void notDone(Service service, Show show, RegistrationView registration)
      throws Refused {
    List<RegistrationLineView> open = new ArrayList<>();
    for (LineState state : List.of(LineState.FAILED, LineState.REFUSED, LineState.ASKED)) {
      open.addAll(
          service.all(
              "/registrations/" + registration.id() + "/lines?limit=500&state=" + Words.of(state),
              RegistrationLineView.class));
    }
    if (!open.isEmpty()) {
      show.out().println();
      for (RegistrationLineView line : open) {
        show.out().println(Words.said(line.state()) + "  " + line.account() + "  " + line.key());
        if (line.reason() != null) {
          show.out().println("  " + Lines.folded(line.reason(), 96, "  "));
        }
      }
    }
    if (registration.state() == RegistrationState.STOPPED) {
      show.out()
          .println(
              "\nThe one that was tried first failed, so the others were not begun. Go on all the"
                  + " same, or end it:\n  tolvin registration go-on "
                  + registration.id()
                  + " --reason …\n  tolvin registration cancel "
                  + registration.id()
                  + " --reason …");
    }
    if (registration.asked() > 0) {
      show.out().println("\nThose that were asked: tolvin hand-over list");
    }
    show.out().flush();
  }

  /** Lists them. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List registrations, the newest first.",
      footer = {"", "Example: tolvin registration list"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open().page("/registrations?limit=50", RegistrationView.class).items(),
          "No registrations yet. Begin one with: tolvin registration run",
          LISTED);
      return 0;
    }
  }

  /** Shows one. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a registration: how far it is, and what is not done and why.",
      footer = {"", "Example: tolvin registration show ID --lines"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ID", description = "Its id, or the first characters of it.")
    private String id;

    @Option(names = "--lines", description = "List every line instead.")
    private boolean lines;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      RegistrationView found = found(service, id);
      if (lines) {
        show.list(
            service.all(
                "/registrations/" + found.id() + "/lines?limit=500", RegistrationLineView.class),
            "It has no lines.",
            LINES);
        return status(found);
      }
      show.one(found, COLUMNS);
      if (show.isTable()) {
        notDone(service, show, found);
      }
      return status(found);
    }
  }

  private static RegistrationView found(Service service, String id) throws Refused {
    String whole =
        service.id(
            "/registrations?limit=500",
            RegistrationView.class,
            RegistrationView::id,
            "registration",
            id);
    return service.get("/registrations/" + Service.query(whole), RegistrationView.class);
  }

  /** What is said to one that is not over. */
  abstract static class Said implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "ID", description = "Its id, or the first characters of it.")
    private String id;

    @Option(names = "--reason", required = true, paramLabel = "TEXT", description = "Why.")
    private String reason;

    private final String action;

    Said(String action) {
      this.action = action;
    }

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      RegistrationView found = found(service, id);
      show.one(
          service.post(
              "/registrations/" + found.id() + "/" + action,
              new ReasonRequest(reason),
              RegistrationView.class),
          COLUMNS);
      return 0;
    }
  }

  /** Goes on. */
  @Command(
      name = "go-on",
      mixinStandardHelpOptions = true,
      description = "Go on with the others although the one that was tried first failed.",
      footer = {"", "Example: tolvin registration go-on ID --reason 'its client is elsewhere'"})
  static final class GoOn extends Said {
    GoOn() {
      super("go-on");
    }
  }

  /** Cancels. */
  @Command(
      name = "cancel",
      mixinStandardHelpOptions = true,
      description = "Begin nothing more of it; what stands there already stays.",
      footer = {"", "Example: tolvin registration cancel ID --reason 'wrong accounts'"})
  static final class Cancel extends Said {
    Cancel() {
      super("cancel");
    }
  }
}
