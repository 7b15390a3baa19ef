package tolvin.cli;

import static tolvin.cli.Show.column;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
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
    String owner =
        identity == null
            ? null
            : service.one("/identities?limit=500", "identity", identity, "name").get("id").asText();
    ArrayNode results = Service.JSON.createArrayNode();
    List<Waiting> waiting = new ArrayList<>();
    for (Input input : inputs) {
      List<Item> items = new ArrayList<>();
      input.pieces(items::add);
      for (Item item : items) {
        ObjectNode node = results.addObject();
        node.put("file", input.name());
        node.put("line", item.line());
        if (item.outcome() instanceof Outcome.Key key) {
          waiting.add(new Waiting(node, key.key().line(key.comment())));
        } else {
          ObjectNode looked = KeyLook.node(input.name(), item);
          node.put("outcome", "no-key");
          node.put("reason", looked.path("said").asText());
        }
      }
    }
    for (int from = 0; from < waiting.size(); from += CHUNK) {
      List<Waiting> chunk = waiting.subList(from, Math.min(from + CHUNK, waiting.size()));
      send(service, owner, chunk);
      progress(from + chunk.size(), waiting.size());
    }
    return shown(results);
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

  private void progress(int done, int of) {
    if (show.isTable() && of > CHUNK) {
      System.err.printf("%s%d of %d keys", System.console() == null ? "" : "\r", done, of);
      if (System.console() == null || done == of) {
        System.err.println();
      }
    }
  }

  private int shown(ArrayNode results) {
    int good = 0;
    Map<String, Integer> counts = new java.util.TreeMap<>();
    for (JsonNode result : results) {
      String outcome = result.path("outcome").asText();
      counts.merge(outcome, 1, Integer::sum);
      boolean fine = outcome.matches("registered|there|again|accepted(-with-warnings)?");
      good += fine ? 1 : 0;
    }
    if (!show.isTable()) {
      show.list(results, "", COLUMNS);
    } else if (results.size() == 1) {
      show.one(results.get(0), COLUMNS);
    } else {
      ArrayNode notable = Service.JSON.createArrayNode();
      for (JsonNode result : results) {
        if (results.size() <= 40
            || !result.path("outcome").asText().matches("registered|accepted")) {
          notable.add(result);
        }
      }
      show.list(notable, "", java.util.Arrays.copyOf(COLUMNS, COLUMNS.length - 1));
      show.out()
          .println(
              "\n"
                  + results.size()
                  + " pieces: "
                  + String.join(
                      ", ",
                      counts.entrySet().stream().map(e -> e.getValue() + " " + e.getKey()).toList())
                  + (rehearse ? ". Nothing was registered." : "."));
      show.out().flush();
    }
    return good == results.size() ? 0 : 1;
  }
}
