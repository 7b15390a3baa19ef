package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.dataformat.csv.CsvMapper;
import com.fasterxml.jackson.dataformat.csv.CsvParser;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Random;
import java.util.concurrent.Callable;
import java.util.stream.IntStream;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Example;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import net.jqwik.api.constraints.IntRange;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import tolvin.core.estate.Family;

class ShowTest {
  private record What(String said) {}

  private record Row(String name, What what, Object since) {}

  private static final List<Show.Column<Row>> COLUMNS =
      Show.columns(
          Show.column("Name", Row::name),
          Show.column("Said", Row::what, What::said),
          Show.column("Since", Row::since));

  /** A command that shows some rows. */
  @Command(name = "show")
  private static final class Shows implements Callable<Integer> {
    @Mixin private Show show;
    private final List<Row> rows;

    Shows(List<Row> rows) {
      this.rows = rows;
    }

    @Override
    public Integer call() {
      show.list(rows, "There is none.", COLUMNS);
      return 0;
    }
  }

  private static String shown(List<Row> rows, String form) {
    StringWriter out = new StringWriter();
    new CommandLine(new Shows(rows))
        .setCaseInsensitiveEnumValuesAllowed(true)
        .setOut(new PrintWriter(out))
        .execute("--output", form);
    return out.toString();
  }

  private static List<Row> rows(List<List<String>> cells) {
    return cells.stream().map(c -> new Row(c.get(0), new What(c.get(1)), c.get(2))).toList();
  }

  /** Comments of keys come from anybody. */
  @Provide
  Arbitrary<List<List<String>>> tables() {
    Arbitrary<String> cell =
        Arbitraries.strings()
            .withChars("ab ,;\"'\n\r\t\u0000\u001b\u202e=é→")
            .withCharRange('x', 'z')
            .ofMaxLength(140);
    return cell.list().ofSize(3).list().ofMinSize(1).ofMaxSize(5);
  }

  @Property(tries = 300)
  void programsReadBackWhatWasThere(@ForAll("tables") List<List<String>> cells) throws IOException {
    List<Row> rows = rows(cells);
    assertThat(Service.JSON.readValue(shown(rows, "json"), Row[].class))
        .containsExactlyElementsOf(rows);
    try (var read =
        new CsvMapper()
            .readerFor(String[].class)
            .with(CsvParser.Feature.WRAP_AS_ARRAY)
            .<String[]>readValues(shown(rows, "csv"))) {
      List<String[]> lines = read.readAll();
      assertThat(lines.get(0)).containsExactly("Name", "Said", "Since");
      assertThat(lines.subList(1, lines.size()).stream().map(List::of).toList())
          .isEqualTo(cells.stream().map(row -> row.stream().map(Show::noFormula).toList()).toList())
          .allSatisfy(
              row ->
                  assertThat(row)
                      .noneMatch(cell -> cell.matches("(?s)[=@\t\r].*|[+-](?!\\d+(\\.\\d+)?$).*")));
    }
  }

  @Property(tries = 300)
  void aTableFitsAndNothingForeignReachesTheTerminal(@ForAll("tables") List<List<String>> cells) {
    String table = shown(rows(cells), "table");
    assertThat(table.lines()).hasSize(cells.size() + 1).allMatch(line -> line.length() <= 100);
    assertThat(table.replace("\n", "").chars())
        .noneMatch(c -> Character.isISOControl(c) || Character.getType(c) == Character.FORMAT);
  }

  @Example
  void timesDurationsAndConstantsAreForPeopleInTablesAndExactElsewhere() {
    List<Row> rows =
        List.of(
            new Row("fuel", null, Instant.parse("2030-03-01T11:00:00.123456Z")),
            new Row("boats", new What("x"), Duration.ofDays(90)),
            new Row("crane", new What("y"), Family.KEY_REPOSITORY));
    assertThat(shown(rows, "table"))
        .isEqualTo(
            """
            Name   Said  Since
            fuel         2030-03-01 11:00:00Z
            boats  x     90 days
            crane  y     key-repository
            """);
    assertThat(shown(rows, "csv"))
        .isEqualTo(
            """
            Name,Said,Since
            fuel,,2030-03-01T11:00:00.123456Z
            boats,x,PT2160H
            crane,y,key-repository
            """);
    assertThat(shown(List.of(), "table")).isEqualTo("There is none.\n");
  }

  /** Names of accounts differ late: a table that fits must not make two of them one. */
  @Property(tries = 300)
  void whatDiffersLooksDifferent(
      @ForAll @IntRange(min = 1, max = 70) int alike, @ForAll long seed) {
    Random chance = new Random(seed);
    String begin = "x".repeat(alike);
    List<Row> rows =
        IntStream.range(0, 2 + chance.nextInt(20))
            .mapToObj(
                i ->
                    new Row(
                        begin.substring(chance.nextInt(alike))
                            + (char) ('a' + i)
                            + "-tail".repeat(6),
                        new What(chance.nextInt(3) + " of the same words".repeat(8)),
                        Instant.EPOCH.plusSeconds(i)))
            .toList();
    List<String> lines = shown(rows, "table").lines().skip(1).toList();
    assertThat(lines).hasSize(rows.size());
    if (alike + 2 <= 60) {
      assertThat(lines.stream().map(l -> l.split("…?  ")[0])).doesNotHaveDuplicates();
    }
    if (alike < 40) {
      assertThat(lines).allMatch(line -> line.length() <= 100);
    }
  }
}
