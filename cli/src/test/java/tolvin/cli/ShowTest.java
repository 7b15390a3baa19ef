package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.dataformat.csv.CsvMapper;
import com.fasterxml.jackson.dataformat.csv.CsvParser;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.List;
import java.util.concurrent.Callable;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.Example;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

class ShowTest {
  private static final Show.Column[] COLUMNS = {
    Show.column("Name", "/name"), Show.column("Said", "/what/said"), Show.column("Since", "/since")
  };

  /** A command that shows some rows. */
  @Command(name = "show")
  private static final class Shows implements Callable<Integer> {
    @Mixin private Show show;
    private final JsonNode rows;

    Shows(JsonNode rows) {
      this.rows = rows;
    }

    @Override
    public Integer call() {
      show.list(rows, "There is none.", COLUMNS);
      return 0;
    }
  }

  private static String shown(JsonNode rows, String form) {
    StringWriter out = new StringWriter();
    new CommandLine(new Shows(rows))
        .setCaseInsensitiveEnumValuesAllowed(true)
        .setOut(new PrintWriter(out))
        .execute("--output", form);
    return out.toString();
  }

  private static ArrayNode rows(List<List<String>> cells) {
    ArrayNode rows = Service.JSON.createArrayNode();
    for (List<String> row : cells) {
      var item = rows.addObject();
      item.put("name", row.get(0));
      item.putObject("what").put("said", row.get(1));
      item.put("since", row.get(2));
    }
    return rows;
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
    ArrayNode rows = rows(cells);
    assertThat(Service.JSON.readTree(shown(rows, "json"))).isEqualTo(rows);
    try (var read =
        new CsvMapper()
            .readerFor(String[].class)
            .with(CsvParser.Feature.WRAP_AS_ARRAY)
            .<String[]>readValues(shown(rows, "csv"))) {
      List<String[]> lines = read.readAll();
      assertThat(lines.get(0)).containsExactly("name", "what.said", "since");
      assertThat(lines.subList(1, lines.size()).stream().map(List::of).toList()).isEqualTo(cells);
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
  void timesAreForPeopleInTablesAndExactElsewhere() {
    ArrayNode rows = rows(List.of(List.of("fuel", "", "2030-03-01T11:00:00.123456Z")));
    assertThat(shown(rows, "table"))
        .isEqualTo("Name  Said  Since\nfuel        2030-03-01 11:00:00Z\n");
    assertThat(shown(rows, "csv"))
        .isEqualTo("name,what.said,since\nfuel,,2030-03-01T11:00:00.123456Z\n");
    assertThat(shown(Service.JSON.createArrayNode(), "table")).isEqualTo("There is none.\n");
  }
}
