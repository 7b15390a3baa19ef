package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.PrintWriter;
import java.io.StringWriter;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.MethodSource;
import picocli.CommandLine;
import picocli.CommandLine.Model.ArgSpec;
import picocli.CommandLine.Model.CommandSpec;

/** What holds for every command there is. */
class CommandsTest {
  static Stream<CommandSpec> commands() {
    return below(Main.commandLine().getCommandSpec())
        .filter(spec -> !spec.name().equals("generate-completion"));
  }

  private static Stream<CommandSpec> below(CommandSpec spec) {
    return spec.subcommands().values().stream()
        .map(CommandLine::getCommandSpec)
        .flatMap(sub -> Stream.concat(Stream.of(sub), below(sub)));
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("commands")
  void eachIsDescribedWithAllThatItTakes(CommandSpec spec) {
    String name = spec.qualifiedName();
    assertThat(name).as("its words").matches("tolvin( [a-z]+(-[a-z]+)*)+");
    assertThat(spec.usageMessage().description()).as(name).isNotEmpty();
    for (ArgSpec argument : spec.args()) {
      assertThat(String.join(" ", argument.description()))
          .as("%s: %s", name, argument.paramLabel())
          .isNotBlank();
      wholeSentences(argument.description());
    }
    wholeSentences(spec.usageMessage().description());
    if (spec.subcommands().isEmpty()) {
      assertThat(String.join("\n", spec.usageMessage().footer()))
          .as("an example of %s", name)
          .contains(name);
    }
    assertThat(ran(words(name, "--help")).out).contains("Usage: " + name);
  }

  /** A piece that ends in the midst of a sentence is broken at two places in a narrow terminal. */
  private static void wholeSentences(String[] pieces) {
    for (int i = 0; i < pieces.length - 1; i++) {
      assertThat(pieces[i]).matches(".*[.:!?)]");
    }
  }

  @Test
  void theirHelpFitsATerminal() {
    commands()
        .forEach(
            spec ->
                assertThat(spec.commandLine().getUsageMessage().lines())
                    .as(spec.qualifiedName())
                    .allMatch(line -> line.length() <= 110));
  }

  @ParameterizedTest
  @CsvSource({
    "'', 2, Missing required",
    "nonsense, 2, Unmatched argument",
    "key nonsense, 2, nonsense",
    "key look, 2, Missing required parameter",
    "key look /no/such/file, 1, There is no file /no/such/file",
    "key look /tmp, 1, is a directory",
    "key compare SHA256:uNiVztksCsDhcc0u9e8BrqGLS3dGBzC4RN8BHWnsJ9k /no/x, 1, There is no file /no/x",
    "finding list --output pdf, 2, expected one of",
  })
  void aMistakeIsSaidInWordsAndNothingIsPrinted(String line, int status, String said) {
    Ran ran = ran(line.isEmpty() ? new String[0] : line.split(" "));
    assertThat(ran.status).as(ran.err).isEqualTo(status);
    assertThat(ran.err).contains(said).doesNotContain("Exception", "\tat ");
    assertThat(ran.out).isEmpty();
  }

  private static String[] words(String name, String last) {
    return (name.substring("tolvin ".length()) + " " + last).split(" ");
  }

  private record Ran(int status, String out, String err) {}

  private static Ran ran(String... arguments) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    int status =
        Main.commandLine(arguments)
            .setOut(new PrintWriter(out, true))
            .setErr(new PrintWriter(err, true))
            .execute(arguments);
    return new Ran(status, out.toString(), err.toString());
  }
}
