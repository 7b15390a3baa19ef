package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import tolvin.core.intake.Item;
import tolvin.core.intake.Outcome;

/** Registers keys, one or thousands. */
@Command(
    name = "add",
    mixinStandardHelpOptions = true,
    description = {
      "Register public keys from files of any open form; each piece is judged by itself.",
      "The files are looked at here first: a private half is refused and never sent."
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
  private String custody;

  @Option(names = "--rehearse", description = "Judge them and register none.")
  private boolean rehearse;

  private static final Show.Column[] COLUMNS = {
    column("File", "/file"),
    column("Line", "/line"),
    column("Outcome", "/outcome"),
    column("Fingerprint", "/fingerprint"),
    column("Identity", "/identity"),
    column("Reason", "/reason"),
    column("Way out", "/wayOut")
  };

  private static final Show.Column[] NARROW = java.util.Arrays.copyOf(COLUMNS, 6);

  /** A key that waits to be sent, and its place in the result. */
  private record Waiting(ObjectNode node, String line) {}

  @Override
  public Integer call() throws Refused {
    List<Input> inputs = new ArrayList<>();
    for (String file : files) {
      Input input = Input.of(file);
      input.refusePrivateHalf(); // all of them, before the first byte is sent
      inputs.add(input);
    }
    Service service = Service.open();
    String owner = identity == null ? null : IdentityCommands.id(service, identity);
    Tally tally = new Tally();
    try (Show.Rows rows = show.rows(show.isTable() ? NARROW : COLUMNS, COLUMNS)) {
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

    void count(JsonNode result) {
      String outcome = result.path("outcome").asText();
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
    private final String owner;
    private final Tally tally;
    private final Show.Rows rows;
    private final List<ObjectNode> nodes = new ArrayList<>();
    private final List<Waiting> waiting = new ArrayList<>();
    private Refused refused;
    private boolean many;

    Batch(Service service, String owner, Tally tally, Show.Rows rows) {
      this.service = service;
      this.owner = owner;
      this.tally = tally;
      this.rows = rows;
    }

    void add(String file, Item item) {
      ObjectNode node = Service.JSON.createObjectNode();
      node.put("file", file);
      node.put("line", item.line());
      nodes.add(node);
      if (item.outcome() instanceof Outcome.Key key) {
        waiting.add(new Waiting(node, key.key().line(key.comment())));
      } else {
        node.put("outcome", "no-key");
        node.put("reason", KeyLook.node(file, item).path("said").asText());
      }
      if (waiting.size() == CHUNK || nodes.size() == 10 * CHUNK) {
        send();
      }
    }

    /** Sends what waits; after a refusal of the service nothing more is sent. */
    void send() {
      if (refused == null && !waiting.isEmpty()) {
        try {
          KeyAdd.this.send(service, owner, waiting);
        } catch (Refused e) {
          refused = e;
        }
      }
      many |= nodes.size() > FEW; // of many, a table shows only what needs a look
      for (ObjectNode node : nodes) {
        if (!node.has("outcome")) {
          node.put("outcome", "not-sent");
        }
        tally.count(node);
        boolean plain = node.get("outcome").asText().matches("registered|accepted");
        if (!show.isTable() || !many || !plain) {
          rows.add(node);
        }
      }
      progress(tally.all);
      nodes.clear();
      waiting.clear();
    }
  }

  private void send(Service service, String owner, List<Waiting> chunk) throws Refused {
    if (rehearse) {
      String text = String.join("\n", chunk.stream().map(Waiting::line).toList()) + "\n";
      String query = "?custody=" + Service.query(custody);
      JsonNode look =
          service.postBytes(
              "/intake/look" + query + (owner == null ? "" : "&identity=" + owner),
              text.getBytes(java.nio.charset.StandardCharsets.UTF_8));
      for (int i = 0; i < chunk.size(); i++) {
        rehearsed(chunk.get(i).node(), look.get("pieces").get(i));
      }
      return;
    }
    Map<String, Object> wish = new LinkedHashMap<>();
    wish.put("lines", chunk.stream().map(Waiting::line).toList());
    wish.put("identityId", owner);
    wish.put("byComment", byComment);
    wish.put("custody", custody);
    JsonNode answer = service.post("/intake", wish).get("results");
    for (JsonNode result : answer) {
      chunk.get(result.get("index").asInt()).node().setAll((ObjectNode) result.deepCopy());
    }
  }

  private static void rehearsed(ObjectNode node, JsonNode piece) {
    node.put("fingerprint", piece.at("/key/fingerprint").asText());
    if (piece.hasNonNull("registeredAs")) {
      node.put("outcome", "there");
      node.put("reason", "Registered for " + piece.path("registeredFor").asText() + ".");
      return;
    }
    node.put("outcome", piece.at("/verdict/outcome").asText());
    JsonNode note = piece.at("/verdict/notes/0");
    if (!note.isMissingNode()) {
      node.put(
          "reason", note.get("sentence").asText() + " Rule " + note.get("rule").asText() + ".");
      node.put("wayOut", note.path("wayOut").asText());
    }
  }

  private void progress(long done) {
    if (show.isTable() && done >= CHUNK) {
      System.err.println(done + " pieces done");
    }
  }
}
