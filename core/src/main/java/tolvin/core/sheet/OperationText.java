package tolvin.core.sheet;

import com.fasterxml.jackson.core.JsonPointer;
import java.time.Duration;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.stream.Collectors;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import org.snakeyaml.engine.v2.nodes.Tag;
import tolvin.core.sheet.Operation.Entry;
import tolvin.core.sheet.Operation.Http;
import tolvin.core.sheet.Operation.Pages;
import tolvin.core.sheet.Operation.Request;
import tolvin.core.sheet.Operation.Sql;
import tolvin.core.sheet.Operation.Until;
import tolvin.core.sheet.SystemSheet.Speech;
import tolvin.core.yaml.YamlTree;

/** Reads the operations of a system sheet. */
final class OperationText {
  private static final int MOST_REQUESTS = 3;
  private static final int DEEPEST = 8;
  private static final Set<String> METHODS = Set.of("get", "post", "put", "patch", "delete");
  private static final Duration LONGEST_WAIT = Duration.ofMinutes(10);
  private static final Set<String> ENTRY =
      Set.of(
          "at",
          "fingerprint",
          "title",
          "reference",
          "slot",
          "added",
          "used",
          "ends",
          "purpose",
          "access",
          "current");

  private final YamlTree tree;

  OperationText(YamlTree tree) {
    this.tree = tree;
  }

  Operation read(Node node, Set<String> given, Speech speech) {
    Map<String, Node> parts =
        tree.map(node, Set.of("requests"), Set.of("each", "key", "pages", "answers"));
    Set<String> known = new HashSet<>(given);
    Optional<Pages> pages =
        Optional.ofNullable(parts.get("pages")).map(n -> pages(n, known, speech));
    List<Node> items = tree.list(parts.get("requests"), MOST_REQUESTS);
    if (items.isEmpty() && parts.containsKey("requests")) {
      tree.flaw(node, "An operation has one to three requests.");
    }
    List<Request> requests = new ArrayList<>();
    for (Node item : items) {
      Request request = speech == Speech.SQL ? sql(item, known) : http(item, known);
      known.addAll(request.captures().keySet());
      requests.add(request);
    }
    if (requests.stream().filter(r -> r.until().isPresent()).count() > 1) {
      tree.flaw(node, "An operation waits once at most.");
    }
    List<Entry> entries = new ArrayList<>();
    if (parts.get("key") instanceof SequenceNode several) {
      several.getValue().forEach(n -> entries.add(entry(n, speech)));
    } else if (parts.containsKey("key")) {
      entries.add(entry(parts.get("key"), speech));
    }
    return new Operation(
        List.copyOf(requests),
        List.copyOf(entries),
        parts.containsKey("each") ? place(parts.get("each"), Speech.HTTP) : "",
        pages,
        meanings(parts.get("answers"), speech));
  }

  private Http http(Node node, Set<String> known) {
    Map<String, Node> parts =
        tree.map(
            node,
            Set.of(),
            with(METHODS, Set.of("headers", "json", "form", "answer", "captures", "until")));
    List<String> methods = parts.keySet().stream().filter(METHODS::contains).toList();
    if (methods.size() != 1) {
      tree.flaw(node, "A request has one of: get, post, put, patch, delete.");
    }
    String method = methods.isEmpty() ? "get" : methods.get(0);
    Template path = methods.isEmpty() ? Template.NONE : template(parts.get(method), known, true);
    Map<String, Template> headers = new LinkedHashMap<>();
    if (parts.get("headers") instanceof MappingNode mapping) {
      for (NodeTuple tuple : mapping.getValue()) {
        String name = tree.scalar(tuple.getKeyNode()).orElse("");
        if (!name.matches("[A-Za-z][A-Za-z0-9-]{0,60}")
            || Set.of("host", "authorization", "content-length", "connection", "transfer-encoding")
                .contains(name.toLowerCase(Locale.ROOT))) {
          tree.flaw(tuple.getKeyNode(), "A header of this name is not for a sheet to set.");
        }
        headers.put(name, template(tuple.getValueNode(), known, false));
      }
    }
    if (parts.containsKey("json") && parts.containsKey("form")) {
      tree.flaw(node, "A request has a body as json or as form, not both.");
    }
    Node body = parts.getOrDefault("json", parts.get("form"));
    String answer =
        parts.containsKey("answer")
            ? tree.word(parts.get("answer"), Set.of("json", "text"))
            : "json";
    return new Http(
        method.toUpperCase(Locale.ROOT),
        path,
        headers,
        body == null ? null : body(body, known, 0),
        parts.containsKey("form"),
        "text".equals(answer),
        captures(parts.get("captures"), Speech.HTTP),
        Optional.ofNullable(parts.get("until")).map(n -> until(n, Speech.HTTP)));
  }

  private Sql sql(Node node, Set<String> known) {
    Map<String, Node> parts =
        tree.map(node, Set.of("statement"), Set.of("rows", "captures", "until"));
    SqlTemplate statement = new SqlTemplate(List.of());
    if (parts.containsKey("statement")) {
      try {
        statement = SqlTemplate.read(tree.scalar(parts.get("statement")).orElse("").strip());
        unknown(parts.get("statement"), statement.names(), known);
      } catch (IllegalArgumentException wrong) {
        tree.flaw(parts.get("statement"), wrong.getMessage());
      }
    }
    return new Sql(
        statement,
        parts.containsKey("rows") ? tree.number(parts.get("rows"), 0, 1000) : OptionalInt.empty(),
        captures(parts.get("captures"), Speech.SQL),
        Optional.ofNullable(parts.get("until")).map(n -> until(n, Speech.SQL)));
  }

  private Object body(Node node, Set<String> known, int depth) {
    if (depth > DEEPEST) {
      tree.flaw(node, "This is nested too deeply.");
      return null;
    }
    if (node instanceof MappingNode mapping) {
      Map<String, Object> map = new LinkedHashMap<>();
      for (NodeTuple tuple : mapping.getValue()) {
        tree.scalar(tuple.getKeyNode())
            .ifPresent(name -> map.put(name, body(tuple.getValueNode(), known, depth + 1)));
      }
      return map;
    }
    if (node instanceof SequenceNode list) {
      return list.getValue().stream().map(n -> body(n, known, depth + 1)).toList();
    }
    Object plain = plain(node);
    return plain instanceof String ? template(node, known, false) : plain;
  }

  /** A value with its type: text, number or truth value. */
  Object plain(Node node) {
    String text = tree.scalar(node).orElse("");
    Tag tag = node instanceof ScalarNode ? node.getTag() : Tag.STR;
    try {
      return tag.equals(Tag.BOOL)
          ? (Object) Boolean.valueOf(text)
          : tag.equals(Tag.INT) ? (Object) Long.valueOf(text) : text;
    } catch (NumberFormatException octal) {
      return text;
    }
  }

  private Entry entry(Node node, Speech speech) {
    Map<String, Node> parts = tree.map(node, Set.of(), ENTRY);
    List<String> key = new ArrayList<>();
    if (parts.containsKey("at")) {
      tree.oneOrMore(parts.get("at"), 3).forEach(n -> key.add(place(n, speech)));
    }
    if (key.isEmpty() && !parts.containsKey("fingerprint")) {
      tree.flaw(node, "“at”, where the key stands, is missing (or its fingerprint).");
    }
    Map<String, String> places = new LinkedHashMap<>();
    parts.forEach(
        (name, n) -> {
          if (!name.equals("at")) {
            boolean fixed =
                name.equals("slot") && n instanceof ScalarNode s && s.getValue().startsWith("=");
            places.put(name, fixed ? ((ScalarNode) n).getValue() : place(n, speech));
          }
        });
    return new Entry(
        List.copyOf(key),
        places.getOrDefault("fingerprint", ""),
        places.getOrDefault("title", ""),
        places.getOrDefault("reference", ""),
        places.getOrDefault("slot", ""),
        places.getOrDefault("added", ""),
        places.getOrDefault("used", ""),
        places.getOrDefault("ends", ""),
        places.getOrDefault("purpose", ""),
        places.getOrDefault("access", ""),
        places.getOrDefault("current", ""));
  }

  private Pages pages(Node node, Set<String> known, Speech speech) {
    Map<String, Node> parts = tree.map(node, Set.of(), Set.of("next", "as", "size"));
    if (speech == Speech.SQL) {
      tree.flaw(node, "A statement gives all rows; it has no pages.");
    }
    String as = parts.containsKey("as") ? tree.scalar(parts.get("as")).orElse("") : "";
    if (!as.isEmpty()) {
      known.add(as);
    }
    int size = parts.containsKey("size") ? tree.number(parts.get("size"), 1, 10000).orElse(0) : 0;
    String next = parts.containsKey("next") ? tree.scalar(parts.get("next")).orElse("") : "";
    if (next.equals("link")) {
      next = "";
    } else if (parts.containsKey("next")) {
      next = place(parts.get("next"), Speech.HTTP);
    }
    if (size > 0 == parts.containsKey("next") || size > 0 && as.isEmpty()) {
      tree.flaw(
          node,
          "Pages go on by “next” (a place in the answer, or link), or are counted by “size” and “as”.");
    }
    return new Pages(next, as, size);
  }

  List<Meaning> meanings(Node node, Speech speech) {
    List<Meaning> meanings = new ArrayList<>();
    for (Node item : tree.list(node, 100)) {
      Map<String, Node> parts = tree.map(item, Set.of("means"), Set.of("status", "at", "is"));
      Set<String> states = new HashSet<>();
      if (parts.containsKey("status")) {
        tree.oneOrMore(parts.get("status"), 20).forEach(n -> tree.scalar(n).ifPresent(states::add));
      }
      List<String> is = new ArrayList<>();
      if (parts.containsKey("is")) {
        tree.oneOrMore(parts.get("is"), 20).forEach(n -> tree.scalar(n).ifPresent(is::add));
      }
      if (parts.containsKey("at") != parts.containsKey("is")) {
        tree.flaw(item, "“at” and “is” go together.");
      }
      if (states.isEmpty() && is.isEmpty()) {
        tree.flaw(item, "Say which answers are meant: by status, by at and is, or both.");
      }
      String word =
          tree.word(
              parts.get("means"),
              Arrays.stream(Meaning.Word.values())
                  .map(Meaning.Word::word)
                  .collect(Collectors.toSet()));
      Meaning.Word means =
          Arrays.stream(Meaning.Word.values())
              .filter(w -> w.word().equals(word))
              .findFirst()
              .orElse(Meaning.Word.OUT_OF_ORDER);
      meanings.add(
          new Meaning(
              Set.copyOf(states),
              parts.containsKey("at") ? place(parts.get("at"), Speech.HTTP) : "",
              List.copyOf(is),
              means));
    }
    return List.copyOf(meanings);
  }

  Until until(Node node, Speech speech) {
    Map<String, Node> parts = tree.map(node, Set.of("at", "is"), Set.of("within", "every"));
    List<String> is = new ArrayList<>();
    if (parts.containsKey("is")) {
      tree.oneOrMore(parts.get("is"), 20).forEach(n -> tree.scalar(n).ifPresent(is::add));
    }
    Duration within = wait(parts.get("within"), Duration.ofSeconds(30));
    Duration every = wait(parts.get("every"), Duration.ofSeconds(1));
    return new Until(
        parts.containsKey("at") ? place(parts.get("at"), speech) : "",
        List.copyOf(is),
        within,
        every);
  }

  private Duration wait(Node node, Duration otherwise) {
    Duration wait = node == null ? otherwise : duration(node).orElse(otherwise);
    if (wait.compareTo(LONGEST_WAIT) > 0 || wait.isZero()) {
      tree.flaw(node, "A wait is longer than nothing and at most ten minutes.");
    }
    return wait;
  }

  private Map<String, String> captures(Node node, Speech speech) {
    Map<String, String> captures = new LinkedHashMap<>();
    if (node == null) {
      return captures;
    }
    if (!(node instanceof MappingNode mapping)) {
      tree.flaw(node, "Here belong names, each with the place that it is read from.");
      return captures;
    }
    for (NodeTuple tuple : mapping.getValue()) {
      String name = tree.scalar(tuple.getKeyNode()).orElse("");
      if (!name.matches("[a-z][a-z0-9-]{0,39}") || name.equals("secret")) {
        tree.flaw(tuple.getKeyNode(), "A capture's name has lower-case letters, digits, hyphens.");
      }
      captures.put(name, place(tuple.getValueNode(), speech));
    }
    return captures;
  }

  /** A place in an answer: a JSON pointer, or a column. */
  private String place(Node node, Speech speech) {
    String text = tree.scalar(node).orElse("");
    if (speech == Speech.SQL) {
      if (!text.matches("[A-Za-z_][A-Za-z0-9_]{0,62}")) {
        tree.flaw(node, "Here belongs the name of a column.");
      }
      return text;
    }
    try {
      JsonPointer.compile(text);
    } catch (IllegalArgumentException wrong) {
      tree.flaw(node, "Here belongs a JSON pointer such as /keys/0/id (RFC 6901).");
    }
    return text;
  }

  Template template(Node node, Set<String> known, boolean path) {
    Template template = new Template(tree.scalar(node).orElse(""));
    String flaw = template.flaw(path);
    if (flaw.isEmpty()) {
      unknown(node, template.names(), known);
    } else {
      tree.flaw(node, flaw);
    }
    return template;
  }

  private void unknown(Node node, Set<String> used, Set<String> known) {
    for (String name : used) {
      if (!known.contains(name)) {
        tree.flaw(
            node,
            "Nothing gives a value for “"
                + name
                + "” here; there are "
                + known.stream().sorted().collect(Collectors.joining(", "))
                + ".");
      }
    }
  }

  Optional<Duration> duration(Node node) {
    try {
      Duration duration = Duration.parse(tree.scalar(node).orElse(""));
      if (!duration.isNegative()) {
        return Optional.of(duration);
      }
    } catch (DateTimeParseException wrong) {
      // said below
    }
    tree.flaw(node, "Here belongs a duration such as PT30S (ISO 8601).");
    return Optional.empty();
  }

  /** All of two sets. */
  static Set<String> with(Set<String> one, Set<String> other) {
    Set<String> all = new HashSet<>(one);
    all.addAll(other);
    return all;
  }
}
