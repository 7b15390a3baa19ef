package tolvin.cli;

import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.ObjectWriter;
import com.fasterxml.jackson.dataformat.csv.CsvGenerator;
import com.fasterxml.jackson.dataformat.csv.CsvMapper;
import com.fasterxml.jackson.dataformat.csv.CsvSchema;
import java.io.PrintWriter;
import java.time.Duration;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Spec;
import tolvin.core.key.PlainText;
import tolvin.core.schedule.Cadence;
import tolvin.core.word.Words;

/** How a command shows what came back: a table for people, JSON or CSV for programs. */
final class Show {
  private static final Pattern NUMBER = Pattern.compile("[+-]?\\d+(\\.\\d+)?");
  private static final int WIDTH = 100;
  private static final int LEAST_WIDTH = 60;
  private static final int NONE = -1;

  /** A time that gives way keeps its minute. */
  private static final int MINUTE = "2026-01-01 00:00…".length();

  /** Beyond so many characters a text may be cut, whatever another begins with. */
  private static final int LONGEST_KEPT = 60;

  private static final int LEAST_SENTENCE = 16;
  private static final int GAP = 2;

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
   * @param title its heading, in CSV too
   * @param value what stands in it for one thing; null if nothing does
   * @param none what people read where nothing stands
   */
  record Column<T>(String title, Function<? super T, ?> value, String none) {}

  static <T> Column<T> column(String title, Function<? super T, ?> value) {
    return new Column<>(title, value, "");
  }

  /** A column with words for people where nothing stands. */
  static <T> Column<T> column(String title, Function<? super T, ?> value, String none) {
    return new Column<>(title, value, none);
  }

  /** A column of a part that may be absent. */
  static <T, P> Column<T> column(
      String title, Function<? super T, P> part, Function<? super P, ?> value) {
    return new Column<>(
        title, item -> Optional.ofNullable(part.apply(item)).map(value).orElse(null), "");
  }

  @SafeVarargs
  @SuppressWarnings("varargs") // the array goes no further
  static <T> List<Column<T>> columns(Column<T>... columns) {
    return List.of(columns);
  }

  /** Groups of columns, one behind the other. */
  @SafeVarargs
  @SuppressWarnings("varargs") // the array goes no further
  static <T> List<Column<T>> joined(List<Column<T>>... groups) {
    return Stream.of(groups).flatMap(List::stream).toList();
  }

  /** Columns of a part, for the whole that has it. */
  static <W, P> List<Column<W>> within(Function<W, P> part, List<Column<P>> columns) {
    return columns.stream()
        .map(c -> new Column<W>(c.title(), whole -> c.value().apply(part.apply(whole)), c.none()))
        .toList();
  }

  PrintWriter out() {
    return spec.commandLine().getOut();
  }

  boolean isTable() {
    return form == Form.TABLE;
  }

  /** Shows a list. */
  @SafeVarargs
  @SuppressWarnings("varargs") // the array goes no further
  final <T> void list(List<T> items, String whenEmpty, Column<T>... columns) {
    list(items, whenEmpty, List.of(columns));
  }

  /** Shows a list. */
  <T> void list(List<T> items, String whenEmpty, List<Column<T>> columns) {
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
  final class Rows<T> implements AutoCloseable {
    private static final int MOST = 1000;

    private final List<Column<T>> columns;
    private final List<Column<T>> details;
    private final List<T> first = new ArrayList<>();
    private long count;

    private Rows(List<Column<T>> columns, List<Column<T>> details) {
      this.columns = columns;
      this.details = details;
      if (form == Form.CSV) {
        csv(first, columns);
      }
    }

    /** Shows one more. */
    void add(T item) {
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
  <T> Rows<T> rows(List<Column<T>> columns, List<Column<T>> details) {
    return new Rows<>(columns, details);
  }

  /** Shows one thing: a line for each column. */
  @SafeVarargs
  @SuppressWarnings("varargs") // the array goes no further
  final <T> void one(T item, Column<T>... columns) {
    one(item, List.of(columns));
  }

  /** Shows one thing: a line for each column. */
  <T> void one(T item, List<Column<T>> columns) {
    switch (form) {
      case JSON -> json(item);
      case CSV -> csv(List.of(item), columns);
      default -> {
        int widest = 0;
        for (Column<T> column : columns) {
          widest = Math.max(widest, column.title().length());
        }
        for (Column<T> column : columns) {
          String value = shown(column, item);
          if (!value.isEmpty()) {
            out().println(pad(column.title(), widest) + "  " + value);
          }
        }
      }
    }
    out().flush();
  }

  private void json(Object node) {
    out().println(pretty(node));
  }

  private static String pretty(Object node) {
    try {
      return Service.JSON.writerWithDefaultPrettyPrinter().writeValueAsString(node);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  private <T> void csv(List<T> items, List<Column<T>> columns) {
    csvCells(columns.stream().map(Column::title).toList());
    items.forEach(item -> csvLine(item, columns));
  }

  private <T> void csvLine(T item, List<Column<T>> columns) {
    csvCells(columns.stream().map(column -> text(column.value().apply(item))).toList());
  }

  private void csvCells(List<String> cells) {
    try {
      List<String> plain = cells.stream().map(Show::noFormula).toList();
      boolean quoted = plain.stream().anyMatch(cell -> cell.indexOf('\r') >= 0);
      out().print((quoted ? QUOTED_CSV : CSV).writeValueAsString(plain));
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
  }

  /**
   * A cell that no spreadsheet takes for a formula: comments and titles are written by others, and
   * a formula can send away what stands beside it. Numbers stay numbers.
   */
  static String noFormula(String cell) {
    boolean begins = !cell.isEmpty() && "=+-@\t\r".indexOf(cell.charAt(0)) >= 0;
    return begins && !NUMBER.matcher(cell).matches() ? "'" + cell : cell;
  }

  /** How wide a table may be: as wide as the terminal says that it is. */
  private static int width() {
    String columns = System.getenv("COLUMNS");
    return columns != null && columns.matches("\\d{1,4}")
        ? Math.max(LEAST_WIDTH, Integer.parseInt(columns))
        : WIDTH;
  }

  /**
   * A table that fits: the widest columns give way until the line does, but none so far that two
   * different values would look the same; where that is not enough, sentences give way further.
   */
  private <T> void table(List<T> items, List<Column<T>> columns) {
    int[] widths = new int[columns.size()];
    List<String[]> rows = new ArrayList<>();
    for (int c = 0; c < widths.length; c++) {
      widths[c] = columns.get(c).title().length();
    }
    for (T item : items) {
      String[] row = new String[widths.length];
      for (int c = 0; c < widths.length; c++) {
        row[c] = shown(columns.get(c), item);
        widths[c] = Math.max(widths[c], row[c].length());
      }
      rows.add(row);
    }
    int[] least = new int[widths.length];
    for (int c = 0; c < widths.length; c++) {
      boolean times =
          !items.isEmpty() && columns.get(c).value().apply(items.get(0)) instanceof Instant;
      least[c] = Math.max(columns.get(c).title().length(), times ? MINUTE : leastWidth(rows, c));
    }
    shrink(widths, least);
    for (int c = 0; c < widths.length; c++) {
      if (isSentences(rows, c)) {
        least[c] = Math.min(least[c], LEAST_SENTENCE);
      }
    }
    shrink(widths, least);
    line(columns.stream().map(Column::title).toArray(String[]::new), widths);
    rows.forEach(row -> line(row, widths));
  }

  /** Takes from the widest columns until the line fits, or none can give way. */
  private static void shrink(int[] widths, int[] least) {
    int total = Arrays.stream(widths).sum() + GAP * (widths.length - 1);
    int widest = widest(widths, least);
    while (total > width() && widest != NONE) {
      widths[widest]--;
      total--;
      widest = widest(widths, least);
    }
  }

  /** Whether a column holds words in a row: one reads on elsewhere, and does not name by them. */
  private static boolean isSentences(List<String[]> rows, int column) {
    return rows.stream().anyMatch(row -> row[column].indexOf(' ') >= 0);
  }

  /** The widest column that can still give way; none if no column can. */
  private static int widest(int[] widths, int[] least) {
    int widest = NONE;
    for (int c = 0; c < widths.length; c++) {
      boolean gives = widths[c] > least[c];
      widest = gives && (widest == NONE || widths[c] > widths[widest]) ? c : widest;
    }
    return widest;
  }

  /** How wide a column has to be so that different values of it look different. */
  private static int leastWidth(List<String[]> rows, int column) {
    List<String> values = rows.stream().map(row -> row[column]).distinct().sorted().toList();
    int same = 0;
    for (int i = 1; i < values.size(); i++) {
      same = Math.max(same, alike(values.get(i - 1), values.get(i)));
    }
    return Math.min(LONGEST_KEPT, same + 2); // one that differs, and the sign that more follows
  }

  private static int alike(String a, String b) {
    int same = 0;
    while (same < Math.min(a.length(), b.length()) && a.charAt(same) == b.charAt(same)) {
      same++;
    }
    return same;
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

  /** A cell for people: times to the second in UTC, durations in words. */
  private static <T> String shown(Column<T> column, T item) {
    Object value = column.value().apply(item);
    if (value == null) {
      return column.none();
    }
    if (value instanceof Instant at) {
      return at.truncatedTo(ChronoUnit.SECONDS).toString().replace('T', ' ');
    }
    if (value instanceof Duration duration) {
      return Cadence.words(duration);
    }
    return PlainText.shown(text(value));
  }

  private static String text(Object value) {
    if (value == null) {
      return "";
    }
    if (value instanceof Enum<?> constant) {
      return Words.of(constant);
    }
    if (value instanceof Collection<?> several) {
      return several.stream().map(Show::text).collect(Collectors.joining(", "));
    }
    if (value instanceof Map<?, ?> named) {
      return named.entrySet().stream()
          .map(e -> e.getKey() + "=" + text(e.getValue()))
          .collect(Collectors.joining(" "));
    }
    if (value instanceof Record) {
      return text(Service.JSON.convertValue(value, Map.class));
    }
    return value.toString();
  }

  private static String pad(String text, int width) {
    return text + " ".repeat(Math.max(0, width - text.length()));
  }
}
