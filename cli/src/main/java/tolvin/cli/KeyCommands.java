package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import com.fasterxml.jackson.annotation.JsonUnwrapped;
import java.util.List;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.key.DependenceView;
import tolvin.api.key.DueView;
import tolvin.api.key.KeyUseView;
import tolvin.api.key.KeyView;
import tolvin.api.placement.PlacementView;
import tolvin.api.rulebook.JudgedView;
import tolvin.api.rulebook.RuleNoteView;

/** Keys. */
@Command(
    name = "key",
    mixinStandardHelpOptions = true,
    description =
        "Public keys: look, add, make, prove, list, mine, show, compare, convert, give, public, sign,"
            + " download.",
    subcommands = {
      KeyLook.class,
      KeyAdd.class,
      KeyCommands.List_.class,
      KeyCommands.Show_.class,
      KeyCompare.class,
      KeyConvert.class,
      KeyGive.class,
      KeyPublic.class,
      KeyMake.class,
      KeyProve.class,
      KeySign.class,
      KeyDownload.class,
      KeyMine.class
    })
final class KeyCommands {
  private KeyCommands() {}

  static final List<Show.Column<KeyView>> COLUMNS =
      columns(
          column("Fingerprint", KeyView::fingerprint),
          column("Type", KeyView::type),
          column("Bits", KeyView::bits),
          column("Identity", KeyView::identity, "nobody yet"),
          column("Comment", KeyView::comment),
          column("Custody", KeyView::custody),
          column("Added", KeyView::registeredAt),
          column("Last used", KeyView::lastUsedAt, "never seen"));

  static KeyView find(Service service, String text) throws Refused {
    if (Service.isId(text)) {
      return service.get("/keys/" + text, KeyView.class);
    }
    return service.one(
        service.all("/keys?limit=500&search=" + Service.query(text), KeyView.class),
        "key",
        text,
        KeyView::id,
        List.of(KeyView::fingerprint, KeyView::md5, KeyView::identity));
  }

  /** Lists keys. */
  @Command(
      name = "list",
      mixinStandardHelpOptions = true,
      description = "List keys.",
      footer = {"", "Example: tolvin key list --search ferry"})
  static final class List_ implements Callable<Integer> {
    @Mixin private Show show;

    @Option(
        names = "--search",
        defaultValue = "",
        paramLabel = "TEXT",
        description = "In fingerprint, comment, identity, team, type.")
    private String search;

    @Option(names = "--ended", description = "Also keys that are out of use.")
    private boolean ended;

    @Override
    public Integer call() throws Refused {
      show.list(
          Service.open()
              .all(
                  "/keys?limit=500&ended=" + ended + "&search=" + Service.query(search),
                  KeyView.class),
          "No keys. Register one with: tolvin key add FILE --identity NAME",
          COLUMNS);
      return 0;
    }
  }

  /** A key with all that is known of it. */
  private record Whole(
      @JsonUnwrapped KeyView key,
      List<PlacementView> placements,
      List<KeyUseView> uses,
      List<DependenceView> dependences,
      List<JudgedView> verdicts) {}

  /** Shows a key. */
  @Command(
      name = "show",
      mixinStandardHelpOptions = true,
      description = "Show a key: whose, where, used when, what breaks without it.",
      footer = {"", "Example: tolvin key show timetable-feed"})
  static final class Show_ implements Callable<Integer> {
    @Mixin private Show show;

    @Parameters(paramLabel = "KEY", description = "Fingerprint or its beginning, identity, or id.")
    private String key;

    @Override
    public Integer call() throws Refused {
      Service service = Service.open();
      KeyView found = find(service, key);
      UUID id = found.id();
      List<PlacementView> placements =
          service.page("/placements?key=" + id, PlacementView.class).items();
      List<KeyUseView> uses = service.list("/keys/" + id + "/uses", KeyUseView.class);
      List<DependenceView> dependences =
          service.list("/keys/" + id + "/dependences", DependenceView.class);
      List<JudgedView> verdicts = service.list("/keys/" + id + "/verdicts", JudgedView.class);
      if (!show.isTable()) {
        show.one(
            new Whole(found, placements, uses, dependences, verdicts),
            Show.within(Whole::key, COLUMNS));
        return 0;
      }
      show.one(
          found,
          column("Fingerprint", KeyView::fingerprint),
          column("MD5", KeyView::md5),
          column("Type", KeyView::type),
          column("Bits", KeyView::bits),
          column("Identity", KeyView::identity),
          column("Team", KeyView::team),
          column("Custody", KeyView::custody),
          column("Comment", KeyView::comment),
          column("Made", KeyView::madeAt),
          column("Due", KeyView::due, DueView::reason),
          column("Ended", KeyView::endedBecause),
          column("Id", KeyView::id));
      show.out().println("\nJudged");
      judged(verdicts);
      show.out().println("\nPlaced");
      show.list(
          placements,
          "  nowhere",
          column("Account", PlacementView::account),
          column("State", PlacementView::state),
          column("Title", PlacementView::title),
          column("Reason", PlacementView::reason));
      show.out().println("\nUsed");
      show.list(
          uses,
          "  never seen",
          column("Account", KeyUseView::account),
          column("From", KeyUseView::address),
          column("Times", KeyUseView::count),
          column("Last", KeyUseView::lastAt));
      show.out().println("\nWithout it");
      show.list(
          dependences,
          "  nothing that is known would break",
          column("Client", DependenceView::tie, "not on record"),
          column("Account", DependenceView::account),
          column("Breaks", DependenceView::breaks),
          column("Other key", DependenceView::otherKey),
          column("From", DependenceView::address),
          column("Used", DependenceView::usedAt));
      return 0;
    }

    /** Every rule that the key or a place falls short of, in full. */
    private void judged(List<JudgedView> verdicts) {
      boolean any = false;
      for (JudgedView judged : verdicts) {
        for (RuleNoteView note : judged.verdict().notes()) {
          any = true;
          String word =
              note.refuses() ? "refused" : note.exception() != null ? "excepted" : "warning";
          String where = judged.account() == null ? "the key by itself" : judged.account();
          show.out().println(where + ": " + word + " by rule " + note.rule());
          show.out().println("  " + note.sentence() + " " + note.remedy());
          if (note.exception() != null) {
            show.out().println("  let pass for now: " + note.exception());
          }
        }
      }
      if (!any) {
        show.out().println("  accepted by every rule");
      }
    }
  }
}
