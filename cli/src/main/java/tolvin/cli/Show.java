package tolvin.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.ObjectWriter;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import com.fasterxml.jackson.dataformat.csv.CsvGenerator;
import com.fasterxml.jackson.dataformat.csv.CsvMapper;
import com.fasterxml.jackson.dataformat.csv.CsvSchema;
import java.io.PrintWriter;
import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;
import tolvin.core.key.PlainText;

/** How a command shows what came back: a table for people, JSON or CSV for programs. */
final class Show {
  private static final int WIDTH = 100;

  /** Lines of RFC 4180, each with a line feed. */
  private static final ObjectWriter CSV =
      CsvMapper.builder()
          .enable(CsvGenerator.Feature.STRICT_CHECK_FOR_QUOTING)
          .build()
          .writer()
          .with(CsvSchema.emptySchema().withLineSeparator("\n"));

  /** For cells with a carriage return, which the other one takes for harmless. */
  private static final ObjectWriter QUOTED_CSV =
      CSV.with(CsvGenerator.Feature.ALWAYS_QUOTE_STRINGS);

  /** The forms of output. */
  enum Form {
    TABLE,
    JSON,
    CSV
  }

  @Option(
      names = {"-o", "--output"},
      defaultValue = "table",
      paramLabel = "FORM",
      description = "table, json or csv. Default: table.")
  private Form form;

  @Spec(Spec.Target.MIXEE)
  private CommandSpec spec;

  /**
   * A column of a table.
   *
   * @param title its heading
   * @param pointer where its value is (RFC 6901)
   */
  record Column(String title, String pointer) {}

  static JsonNode object(String[] fields, long[] values) {
    ObjectNode object = new ObjectMapper().createObjectNode();
    for (int i = 0; i < fields.length; i++) {
      object.put(fields[i], values[i]);
    }
    return object;
  }

  static Column column(String title, String pointer) {
    return new Column(title, pointer);
  }

  PrintWriter out() {
    return spec.commandLine().getOut();
  }

  boolean isTable() {
    return form == Form.TABLE;
  }

  /** Shows a list. */
  void list(JsonNode items, String whenEmpty, Column... columns) {
    switch (form) {
      case JSON -> json(items);
      case CSV -> csv(items, columns);
      default -> {
        if (items.isEmpty()) {
          out().println(whenEmpty);
        } else {
          table(items, columns);
        }
      }
    }
    out().flush();
  }

  /**
   * A list of any length, shown as it comes: JSON and CSV at once, a table with its first rows. A
   * table of a single row is shown in full.
   */
  final class Rows implements AutoCloseable {
    private static final int MOST = 1000;

    private final Column[] columns;
    private final Column[] details;
    private final ArrayNode first = Service.JSON.createArrayNode();
    private long count;

    private Rows(Column[] columns, Column[] details) {
      this.columns = columns;
      this.details = details;
      if (form == Form.CSV) {
        csv(first, columns);
      }
    }

    /** Shows one more. */
    void add(JsonNode item) {
      count++;
      switch (form) {
        case JSON -> out().print((count == 1 ? "[ " : ", ") + pretty(item));
        case CSV -> csvLine(item, columns);
        default -> {
          if (first.size() < MOST) {
            first.add(item);
          }
        }
      }
    }

    @Override
    public void close() {
      if (form == Form.JSON) {
        out().println(count == 0 ? "[ ]" : " ]");
      } else if (form == Form.TABLE && count == 1) {
        one(first.get(0), details);
      } else if (form == Form.TABLE && count > 0) {
        table(first, columns);
        if (count > MOST) {
          out().println("… and " + (count - MOST) + " more; --output csv shows them all.");
        }
      }
      out().flush();
    }
  }

  /**
   * Begins a list of any length.
   *
   * @param details what is shown of a single row
   */
  Rows rows(Column[] columns, Column[] details) {
    return new Rows(columns, details);
  }

  /** Shows one thing: a line for each column. */
  void one(JsonNode item, Column... columns) {
    switch (form) {
      case JSON -> json(item);
      case CSV -> csv(Service.JSON.createArrayNode().add(item), columns);
      default -> {
        int widest = 0;
        for (Column column : columns) {
          widest = Math.max(widest, column.title().length());
        }
        for (Column column : columns) {
          String value = value(item, column.pointer());
          if (!value.isEmpty()) {
            out().println(pad(column.title(), widest) + "  " + value);
          }
        }
      }
    }
    out().flush();
  }

  private void json(JsonNode node) {
    out().println(pretty(node));
  }

  private static String pretty(JsonNode node) {
    try {
      return Service.JSON.writerWithDefaultPrettyPrinter().writeValueAsString(node);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  private void csv(JsonNode items, Column... columns) {
    List<String> titles = new ArrayList<>();
    for (Column column : columns) {
      titles.add(column.pointer().substring(1).replace('/', '.'));
    }
    csvLine(titles);
    items.forEach(item -> csvLine(item, columns));
  }

  private void csvLine(JsonNode item, Column... columns) {
    csvLine(Stream.of(columns).map(column -> text(item.at(column.pointer()))).toList());
  }

  private void csvLine(List<String> cells) {
    try {
      boolean quoted = cells.stream().anyMatch(cell -> cell.indexOf('\r') >= 0);
      out().print((quoted ? QUOTED_CSV : CSV).writeValueAsString(cells));
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  /** A table that fits: the widest columns give way until the line does. */
  private void table(JsonNode items, Column... columns) {
    int[] widths = new int[columns.length];
    List<String[]> rows = new ArrayList<>();
    for (int c = 0; c < columns.length; c++) {
      widths[c] = columns[c].title().length();
    }
    for (JsonNode item : items) {
      String[] row = new String[columns.length];
      for (int c = 0; c < columns.length; c++) {
        row[c] = value(item, columns[c].pointer());
        widths[c] = Math.max(widths[c], row[c].length());
      }
      rows.add(row);
    }
    int total = 2 * (columns.length - 1);
    for (int width : widths) {
      total += width;
    }
    while (total > WIDTH) {
      int widest = 0;
      for (int c = 1; c < widths.length; c++) {
        widest = widths[c] > widths[widest] ? c : widest;
      }
      widths[widest]--;
      total--;
    }
    String[] titles = new String[columns.length];
    for (int c = 0; c < columns.length; c++) {
      titles[c] = columns[c].title();
    }
    line(titles, widths);
    rows.forEach(row -> line(row, widths));
  }

  private void line(String[] cells, int[] widths) {
    StringBuilder line = new StringBuilder();
    for (int c = 0; c < cells.length; c++) {
      String cell =
          cells[c].length() <= widths[c]
              ? cells[c]
              : cells[c].substring(0, Math.max(0, widths[c] - 1)) + "…";
      line.append(pad(cell, widths[c])).append("  ");
    }
    out().println(line.toString().stripTrailing());
  }

  private static String value(JsonNode item, String pointer) {
    String text = text(item.at(pointer));
    // Times for people: to the second, in UTC.
    return text.matches("\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d:\\d\\d(\\.\\d+)?Z")
        ? text.substring(0, 19).replace('T', ' ') + "Z"
        : PlainText.shown(text);
  }

  private static String text(JsonNode value) {
    if (value.isArray()) {
      List<String> parts = new ArrayList<>();
      for (Iterator<JsonNode> it = value.elements(); it.hasNext(); ) {
        parts.add(text(it.next()));
      }
      return String.join(", ", parts);
    }
    if (value.isObject()) {
      List<String> parts = new ArrayList<>();
      for (Map.Entry<String, JsonNode> field : value.properties()) {
        parts.add(field.getKey() + "=" + text(field.getValue()));
      }
      return String.join(" ", parts);
    }
    return value.isMissingNode() || value.isNull() ? "" : value.asText();
  }

  private static String pad(String text, int width) {
    return text + " ".repeat(Math.max(0, width - text.length()));
  }
}
