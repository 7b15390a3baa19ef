package tolvin.cli;

import java.io.StringReader;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.snakeyaml.engine.v2.nodes.Node;
import tolvin.api.registration.PlacingTerms;
import tolvin.api.registration.RegistrationLine;
import tolvin.core.estate.Access;
import tolvin.core.estate.Purpose;
import tolvin.core.word.Words;
import tolvin.core.yaml.YamlTree;

/** A table of keys and accounts: CSV with a head, or a list in YAML. */
final class RegistrationTable {
  private static final int MOST_BYTES = 8 * 1024 * 1024;
  private static final int MOST_LINES = 5000;
  private static final int MOST_TOLD = 10;
  private static final Set<String> NEEDED = Set.of("key", "account");
  private static final Set<String> OTHERS =
      Set.of("title", "purpose", "access", "sources", "until", "options");

  /** A list in YAML begins with a dash; before it there may be comments. */
  private static final Pattern YAML =
      Pattern.compile("\\A\uFEFF?(\\s*(#.*)?\\R)*(---\\s*\\R)?\\s*-\\s");

  private RegistrationTable() {}

  /** The lines of a file, or of standard input. */
  static List<RegistrationLine> read(String file) throws Refused {
    Input input = Input.of(file);
    String text = new String(input.bytes(MOST_BYTES), StandardCharsets.UTF_8);
    List<RegistrationLine> lines = new ArrayList<>();
    for (Map<String, String> row :
        YAML.matcher(text).find() ? yaml(input.name(), text) : csv(input.name(), text)) {
      lines.add(line(input.name(), row));
    }
    return lines;
  }

  private static List<Map<String, String>> csv(String name, String text) throws Refused {
    List<Map<String, String>> rows =
        CsvFile.read(name, new StringReader(text), NEEDED.toArray(String[]::new));
    for (String column : rows.stream().flatMap(row -> row.keySet().stream()).distinct().toList()) {
      if (!NEEDED.contains(column) && !OTHERS.contains(column)) {
        throw new Refused(
            name
                + " has a column “"
                + column
                + "”; there are key, account, title, purpose, access, sources, until, options.");
      }
    }
    return rows;
  }

  private static List<Map<String, String>> yaml(String name, String text) throws Refused {
    YamlTree tree = YamlTree.of(text, "- key: …");
    List<Map<String, String>> rows = new ArrayList<>();
    tree.root()
        .ifPresent(
            root -> {
              for (Node node : tree.list(root, MOST_LINES)) {
                Map<String, String> row = new HashMap<>();
                tree.map(node, NEEDED, OTHERS)
                    .forEach(
                        (part, value) ->
                            tree.oneOrMore(value, 50).stream()
                                .flatMap(one -> tree.scalar(one).stream())
                                .reduce((a, b) -> a + "," + b)
                                .ifPresent(whole -> row.put(part, whole)));
                rows.add(row);
              }
            });
    if (!tree.flaws().isEmpty()) {
      throw new Refused(
          tree.flaws().stream()
              .limit(MOST_TOLD)
              .map(flaw -> name + ", line " + flaw.line() + ": " + flaw.sentence())
              .collect(Collectors.joining("\n")));
    }
    return rows;
  }

  private static RegistrationLine line(String name, Map<String, String> row) throws Refused {
    String whose = name + ", " + row.get("key") + " on " + row.get("account") + ": ";
    return new RegistrationLine(
        row.getOrDefault("key", ""),
        row.getOrDefault("account", ""),
        new PlacingTerms(
            row.get("title"),
            word(Purpose.class, whose, row.get("purpose")),
            word(Access.class, whose, row.get("access")),
            row.get("sources") == null
                ? null
                : Stream.of(row.get("sources").split("[,\\s]+")).filter(s -> !s.isBlank()).toList(),
            moment(whose, row.get("until")),
            row.get("options") == null ? null : List.of(row.get("options"))));
  }

  private static <E extends Enum<E>> E word(Class<E> words, String whose, String text)
      throws Refused {
    if (text == null) {
      return null;
    }
    return Words.read(words, text)
        .orElseThrow(
            () -> new Refused(whose + "“" + text + "” is none of: " + Words.all(words) + "."));
  }

  private static Instant moment(String whose, String text) throws Refused {
    try {
      return text == null ? null : Instant.parse(text);
    } catch (DateTimeException e) {
      throw new Refused(whose + "“" + text + "” is no moment; give it as 2027-03-31T00:00:00Z.");
    }
  }
}
