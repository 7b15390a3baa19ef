package tolvin.core.yaml;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.TreeSet;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import org.snakeyaml.engine.v2.nodes.Tag;
import tolvin.core.key.PlainText;

/**
 * A YAML document as a tree of plain text with lines: no tags, no anchors, bounded. What does not
 * fit is noted as a flaw, and reading goes on.
 */
public final class YamlTree {
  private static final int MOST_CHARACTERS = 1 << 20;
  private static final LoadSettings SETTINGS =
      LoadSettings.builder()
          .setLabel("text")
          .setCodePointLimit(MOST_CHARACTERS)
          .setMaxAliasesForCollections(0)
          .build();

  /** What the plain notation resolves to; whatever else stands in a tag is nobody's business. */
  private static final Set<Tag> PLAIN = Set.of(Tag.STR, Tag.INT, Tag.FLOAT, Tag.BOOL, Tag.NULL);

  private final List<Flaw> flaws = new ArrayList<>();
  private Node root;

  private YamlTree() {}

  /**
   * Reads a text. Total: any text gives a root or a flaw.
   *
   * @param start what an empty text is told to begin with
   */
  public static YamlTree of(String text, String start) {
    YamlTree tree = new YamlTree();
    try {
      Optional<Node> root = new Compose(SETTINGS).composeString(text);
      root.ifPresentOrElse(
          node -> tree.root = node,
          () -> tree.flaws.add(new Flaw(1, "The text is empty; start it with: " + start)));
    } catch (MarkedYamlEngineException wrong) {
      int line = wrong.getProblemMark().map(mark -> mark.getLine() + 1).orElse(1);
      tree.flaws.add(new Flaw(line, "This is not YAML: " + wrong.getProblem() + "."));
    } catch (YamlEngineException | StackOverflowError wrong) {
      tree.flaws.add(new Flaw(1, "This is not YAML that can be read, or too much of it."));
    }
    return tree;
  }

  /** The document; empty if it could not be read. */
  public Optional<Node> root() {
    return Optional.ofNullable(root);
  }

  /** All flaws so far, in the order of their lines. */
  public List<Flaw> flaws() {
    return flaws.stream().sorted(Comparator.comparing(Flaw::line)).toList();
  }

  /** Notes a flaw at a node. */
  public void flaw(Node node, String sentence) {
    flaws.add(new Flaw(lineOf(node), sentence));
  }

  /** The line that a node begins on, counted from 1. */
  public static int lineOf(Node node) {
    return node.getStartMark().map(mark -> mark.getLine() + 1).orElse(1);
  }

  /** A mapping's parts: all of the needed ones, none but the known ones, each once. */
  public Map<String, Node> map(Node node, Set<String> needed, Set<String> others) {
    Map<String, Node> parts = new LinkedHashMap<>();
    if (!(node instanceof MappingNode mapping)) {
      flaw(node, "Here belong names and values: " + listed(needed, others) + ".");
      return parts;
    }
    for (NodeTuple tuple : mapping.getValue()) {
      String name = scalar(tuple.getKeyNode()).orElse("");
      if (!needed.contains(name) && !others.contains(name)) {
        flaw(
            tuple.getKeyNode(),
            "Nothing is called “"
                + PlainText.shown(name)
                + "” here; there are "
                + listed(needed, others)
                + ".");
      } else if (parts.put(name, tuple.getValueNode()) != null) {
        flaw(tuple.getKeyNode(), "“" + name + "” stands here twice.");
      }
    }
    for (String name : new TreeSet<>(needed)) {
      if (!parts.containsKey(name)) {
        flaw(node, "“" + name + "” is missing.");
      }
    }
    return parts;
  }

  private static String listed(Set<String> needed, Set<String> others) {
    Set<String> all = new TreeSet<>(needed);
    all.addAll(others);
    return String.join(", ", all);
  }

  /** A list's elements; none for a list that is not there. */
  public List<Node> list(Node node, int most) {
    if (node == null || node instanceof ScalarNode s && s.getValue().isEmpty()) {
      return List.of();
    }
    if (!(node instanceof SequenceNode list) || list.getValue().size() > most) {
      flaw(node, "Here belongs a list of at most " + most + " elements.");
      return List.of();
    }
    return list.getValue();
  }

  /** A list's elements, or the one value that stands there. */
  public List<Node> oneOrMore(Node node, int most) {
    return node instanceof ScalarNode ? List.of(node) : list(node, most);
  }

  /** A value as text. */
  public Optional<String> scalar(Node node) {
    if (node instanceof ScalarNode scalar
        && scalar.getAnchor().isEmpty()
        && PLAIN.contains(scalar.getTag())) {
      return Optional.of(scalar.getValue());
    }
    flaw(node, "Here belongs a single value.");
    return Optional.empty();
  }

  /** One of some words; null if it is none of them or not there. */
  public String word(Node node, Set<String> words) {
    Optional<String> value = node == null ? Optional.empty() : scalar(node);
    if (value.isPresent() && !words.contains(value.get())) {
      flaw(node, "Here belongs one of: " + String.join(", ", new TreeSet<>(words)) + ".");
    }
    return value.orElse(null);
  }

  /** A whole number within bounds. */
  public OptionalInt number(Node node, int least, int most) {
    try {
      int value = Integer.parseInt(scalar(node).orElse(""));
      if (value >= least && value <= most) {
        return OptionalInt.of(value);
      }
    } catch (NumberFormatException no) {
      // said below
    }
    flaw(node, "Here belongs a whole number from " + least + " to " + most + ".");
    return OptionalInt.empty();
  }
}
