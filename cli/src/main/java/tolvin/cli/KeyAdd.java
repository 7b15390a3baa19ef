package tolvin.cli;

import static tolvin.cli.Show.column;
import static tolvin.cli.Show.columns;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.UUID;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.api.intake.IntakeRequest;
import tolvin.api.intake.IntakeResultView;
import tolvin.api.intake.LineResultView;
import tolvin.api.intake.LookView;
import tolvin.api.intake.PieceView;
import tolvin.api.rulebook.RuleNoteView;
import tolvin.core.estate.Custody;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;
import tolvin.core.word.Words;

/** Registers keys, one or thousands. */
@Command(
    name = "add",
    mixinStandardHelpOptions = true,
    description = {
      "Register public keys from files of any open form; each piece is judged by itself.",
      "The files are looked at here first: a private key is refused and never sent."
    },
    footer = {
      "",
      "Example: tolvin key add id_crane.pub --identity crane-feed --custody machine",
      "         tolvin key add all-hosts.txt --by-comment --rehearse"
    })
final class KeyAdd implements Callable<Integer> {
  private static final int CHUNK = 1000;
  private static final int FEW = 40;

  @Mixin private Show show;

  @Parameters(arity = "1..*", paramLabel = "FILE", description = "Files, or - for standard input.")
  private List<String> files;

  @Option(names = "--identity", paramLabel = "NAME", description = "Whom they belong to.")
  private String identity;

  @Option(
      names = "--by-comment",
      description = "Take the identity whose name is the comment, or its part before an @.")
  private boolean byComment;

  @Option(
      names = "--custody",
      defaultValue = "machine",
      paramLabel = "WORD",
      description = "machine, device, module or elsewhere. Default: machine.")
  private Custody custody;

  @Option(names = "--rehearse", description = "Judge them and register none.")
  private boolean rehearse;

  private static final List<Show.Column<Row>> COLUMNS =
      columns(
          column("File", Row::file),
          column("Line", Row::line),
          column("Outcome", Row::outcome),
          column("Fingerprint", Row::fingerprint),
          column("Identity", Row::identity),
          column("Reason", Row::reason),
          column("Remedy", Row::remedy));

  private static final List<Show.Column<Row>> NARROW = COLUMNS.subList(0, 6);

  /**
   * What became of a piece.
   *
   * @param outcome registered, there, again, refused, no-key or not-sent; in a rehearsal the
   *     verdict
   */
  private record Row(
      String file,
      long line,
      String outcome,
      UUID keyId,
      String fingerprint,
      String identity,
      Integer warnings,
      String reason,
      String remedy) {
    Row with(String outcome, String fingerprint, String reason, String remedy) {
      return new Row(file, line, outcome, keyId, fingerprint, identity, warnings, reason, remedy);
    }

    Row with(LineResultView result) {
      return new Row(
          file,
          line,
          result.outcome(),
          result.keyId(),
          result.fingerprint(),
          result.identity(),
          result.warnings(),
          result.reason(),
          result.remedy());
    }
  }

  /** A key that waits to be sent, and its place among the rows. */
  private record Waiting(int row, String line) {}

  @Override
  public Integer call() throws Refused {
    List<Input> inputs = new ArrayList<>();
    for (String file : files) {
      Input input = Input.of(file);
      input.refusePrivateKey(); // all of them, before the first byte is sent
      inputs.add(input);
    }
    Service service = Service.open();
    UUID owner = identity == null ? null : IdentityCommands.id(service, identity);
    Tally tally = new Tally();
    try (Show.Rows<Row> rows = show.rows(show.isTable() ? NARROW : COLUMNS, COLUMNS)) {
      Batch batch = new Batch(service, owner, tally, rows);
      for (Input input : inputs) {
        input.pieces(item -> batch.add(input.name(), item));
      }
      batch.send();
      if (batch.refused != null) {
        throw batch.refused;
      }
    }
    if (show.isTable() && tally.all > 1) {
      show.out().println(tally.sentence(rehearse));
      show.out().flush();
    }
    return tally.good == tally.all ? 0 : 1;
  }

  /** What became of all of them. */
  private static final class Tally {
    private final Map<String, Long> counts = new TreeMap<>();
    private long all;
    private long good;

    void count(String outcome) {
      counts.merge(outcome, 1L, Long::sum);
      all++;
      good += outcome.matches("registered|there|again|accepted(-with-warnings)?") ? 1 : 0;
    }

    String sentence(boolean rehearsed) {
      List<String> parts =
          counts.entrySet().stream().map(e -> e.getValue() + " " + e.getKey()).toList();
      return "\n"
          + all
          + " pieces: "
          + String.join(", ", parts)
          + (rehearsed ? ". Nothing was registered." : ".");
    }
  }

  /** Pieces on their way, some at a time, so that a file may hold any number of them. */
  private final class Batch {
    private final Service service;
    private final UUID owner;
    private final Tally tally;
    private final Show.Rows<Row> rows;
    private final List<Row> found = new ArrayList<>();
    private final List<Waiting> waiting = new ArrayList<>();
    private Refused refused;
    private boolean many;

    Batch(Service service, UUID owner, Tally tally, Show.Rows<Row> rows) {
      this.service = service;
      this.owner = owner;
      this.tally = tally;
      this.rows = rows;
    }

    void add(String file, Item item) {
      Row row = new Row(file, item.line(), null, null, null, null, null, null, null);
      if (item.outcome() instanceof Outcome.Key key) {
        waiting.add(new Waiting(found.size(), key.key().line(key.comment())));
        found.add(row.with("not-sent", null, null, null));
      } else {
        found.add(row.with("no-key", null, KeyPiece.of(file, item).said(), null));
      }
      if (waiting.size() == CHUNK || found.size() == 10 * CHUNK) {
        send();
      }
    }

    /** Sends what waits; after a refusal of the service nothing more is sent. */
    void send() {
      if (refused == null && !waiting.isEmpty()) {
        try {
          KeyAdd.this.send(service, owner, waiting, found);
        } catch (Refused e) {
          refused = e;
        }
      }
      many |= found.size() > FEW; // of many, a table shows only what needs a look
      for (Row row : found) {
        tally.count(row.outcome());
        boolean plain = row.outcome().matches("registered|accepted");
        if (!show.isTable() || !many || !plain) {
          rows.add(row);
        }
      }
      progress(tally.all);
      found.clear();
      waiting.clear();
    }
  }

  private void send(Service service, UUID owner, List<Waiting> chunk, List<Row> rows)
      throws Refused {
    if (rehearse) {
      String text = String.join("\n", chunk.stream().map(Waiting::line).toList()) + "\n";
      String query = "?custody=" + Words.of(custody);
      LookView look =
          service.postBytes(
              "/intake/look" + query + (owner == null ? "" : "&identity=" + owner),
              text.getBytes(java.nio.charset.StandardCharsets.UTF_8),
              LookView.class);
      for (int i = 0; i < chunk.size(); i++) {
        int at = chunk.get(i).row();
        rows.set(at, rehearsed(rows.get(at), look.pieces().get(i)));
      }
      return;
    }
    IntakeRequest wanted =
        new IntakeRequest(chunk.stream().map(Waiting::line).toList(), owner, byComment, custody);
    for (LineResultView result :
        service.post("/intake", wanted, IntakeResultView.class).results()) {
      int at = chunk.get(result.index()).row();
      rows.set(at, rows.get(at).with(result));
    }
  }

  private static Row rehearsed(Row row, PieceView piece) {
    String fingerprint = piece.key().fingerprint();
    if (piece.registeredAs() != null) {
      return row.with("there", fingerprint, "Registered for " + piece.registeredFor() + ".", null);
    }
    String outcome = Words.of(piece.verdict().outcome());
    if (piece.verdict().notes().isEmpty()) {
      return row.with(outcome, fingerprint, null, null);
    }
    RuleNoteView note = piece.verdict().notes().get(0);
    return row.with(
        outcome, fingerprint, note.sentence() + " Rule " + note.rule() + ".", note.remedy());
  }

  private void progress(long done) {
    if (show.isTable() && done >= CHUNK) {
      System.err.println(done + " pieces done");
    }
  }
}
