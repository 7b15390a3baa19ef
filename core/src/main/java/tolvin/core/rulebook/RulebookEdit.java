package tolvin.core.rulebook;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.snakeyaml.engine.v2.nodes.SequenceNode;
import tolvin.core.yaml.YamlTree;

/**
 * Adds an entry to a section of a rulebook's text, or takes one out, and leaves every other line,
 * comments included, as it is.
 */
public final class RulebookEdit {
  private RulebookEdit() {}

  /**
   * The text with one more entry at the end of a section.
   *
   * @param text a rulebook without flaws
   * @param section rules, exceptions or cadences
   * @param entry its names and values in order; text is quoted where YAML needs it
   */
  public static String with(String text, String section, Map<String, String> entry) {
    List<String> lines = new ArrayList<>(Arrays.asList(text.split("\n", -1)));
    while (!lines.isEmpty() && lines.get(lines.size() - 1).isBlank()) {
      lines.remove(lines.size() - 1);
    }
    Optional<NodeTuple> part = part(text, section);
    int at = lines.size();
    int indent = 2;
    if (part.isEmpty()) {
      lines.add("");
      lines.add(section + ":");
      at = lines.size();
    } else if (part.get().getValueNode() instanceof SequenceNode list
        && !list.getValue().isEmpty()) {
      Node last = list.getValue().get(list.getValue().size() - 1);
      at = lastLine(last) + 1;
      indent = column(list.getValue().get(0)) - 2;
    } else {
      at = line(part.get().getKeyNode());
      lines.set(at, section + ":");
      at++;
    }
    lines.addAll(at, written(entry, Math.max(0, indent)));
    return String.join("\n", lines) + "\n";
  }

  private static List<String> written(Map<String, String> entry, int indent) {
    List<String> lines = new ArrayList<>();
    String before = " ".repeat(indent) + "- ";
    for (Map.Entry<String, String> part : entry.entrySet()) {
      lines.add(before + part.getKey() + ": " + value(part.getValue()));
      before = " ".repeat(indent + 2);
    }
    return lines;
  }

  private static String value(String text) {
    return text.matches("[A-Za-z0-9][A-Za-z0-9 _./+-]*") && text.equals(text.strip())
        ? text
        : '"' + text.replace("\\", "\\\\").replace("\"", "\\\"") + '"';
  }

  /**
   * The text without the entry of a section that has a number.
   *
   * @return absent if there is none
   */
  public static Optional<String> without(String text, String section, int number) {
    Optional<NodeTuple> part = part(text, section);
    if (part.isEmpty() || !(part.get().getValueNode() instanceof SequenceNode list)) {
      return Optional.empty();
    }
    for (Node item : list.getValue()) {
      if (item instanceof MappingNode mapping && isNumber(mapping, number)) {
        List<String> lines = new ArrayList<>(Arrays.asList(text.split("\n", -1)));
        lines.subList(line(item), lastLine(item) + 1).clear();
        if (list.getValue().size() == 1) {
          lines.set(line(part.get().getKeyNode()), section + ": []");
        }
        return Optional.of(String.join("\n", lines));
      }
    }
    return Optional.empty();
  }

  private static boolean isNumber(MappingNode mapping, int number) {
    return mapping.getValue().stream()
        .anyMatch(
            tuple ->
                tuple.getKeyNode() instanceof ScalarNode key
                    && key.getValue().equals("number")
                    && tuple.getValueNode() instanceof ScalarNode value
                    && value.getValue().equals(String.valueOf(number)));
  }

  private static Optional<NodeTuple> part(String text, String section) {
    return YamlTree.of(text, "rulebook: 1")
        .root()
        .filter(MappingNode.class::isInstance)
        .flatMap(
            root ->
                ((MappingNode) root)
                    .getValue().stream()
                        .filter(
                            tuple ->
                                tuple.getKeyNode() instanceof ScalarNode key
                                    && key.getValue().equals(section))
                        .findFirst());
  }

  private static int line(Node node) {
    return node.getStartMark().orElseThrow().getLine();
  }

  private static int column(Node node) {
    return node.getStartMark().orElseThrow().getColumn();
  }

  /** The last line that belongs to a node; a block's own end mark lies behind blanks after it. */
  private static int lastLine(Node node) {
    if (node instanceof MappingNode mapping && !mapping.getValue().isEmpty()) {
      return lastLine(mapping.getValue().get(mapping.getValue().size() - 1).getValueNode());
    }
    if (node instanceof SequenceNode list && !list.getValue().isEmpty()) {
      return lastLine(list.getValue().get(list.getValue().size() - 1));
    }
    var end = node.getEndMark().orElseThrow();
    return end.getColumn() == 0 && end.getLine() > line(node) ? end.getLine() - 1 : end.getLine();
  }
}
