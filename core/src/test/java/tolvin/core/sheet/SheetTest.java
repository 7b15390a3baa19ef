package tolvin.core.sheet;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import com.fasterxml.jackson.databind.ObjectMapper;
import com.networknt.schema.JsonSchema;
import com.networknt.schema.JsonSchemaFactory;
import com.networknt.schema.SpecVersion;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.MethodSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;
import tolvin.core.authorized.Mark;
import tolvin.core.yaml.Flaw;

class SheetTest {
  private static final Path ROOT = Path.of(System.getProperty("tolvin.root"));
  private static final JsonSchema SCHEMA =
      JsonSchemaFactory.getInstance(SpecVersion.VersionFlag.V202012)
          .getSchema(SheetText.class.getResourceAsStream("system-sheet.schema.json"));

  private static final String GOOD =
      """
      sheet: 1
      system: Lighthouse
      family: code_host
      speaks: http
      connects: {with: token}
      accounts:
        person:
          can: {slots: 3, types: [ssh-ed25519], form: one-line}
          list:
            requests:
              - get: /keys/{account}
            key: {at: /key}
          place:
            requests:
              - post: /keys/{account}
                json: {key: "{key}"}
          withdraw:
            requests:
              - delete: /keys/{account}/{reference}
      """;

  static Stream<Path> shipped() throws IOException {
    return Files.list(ROOT.resolve("sheets")).sorted();
  }

  private static List<?> againstSchema(String text) {
    Object tree = new Load(LoadSettings.builder().build()).loadFromString(text);
    return List.copyOf(SCHEMA.validate(new ObjectMapper().valueToTree(tree)));
  }

  @ParameterizedTest
  @MethodSource("shipped")
  void everySheetThatShipsIsGoodForReaderAndSchemaAndIsExplained(Path file) throws IOException {
    String text = Files.readString(file);
    SheetText.Parsed parsed = SheetText.read(text);
    assertThat(parsed.flaws()).isEmpty();
    assertThat(againstSchema(text)).isEmpty();
    assertThat(SheetWords.of(parsed.sheet().orElseThrow()))
        .hasSizeGreaterThan(3)
        .allSatisfy(line -> assertThat(line).endsWith(".").doesNotContain("Optional"));
  }

  /** What is wrong, in which line, and what the sentence says; the schema sees most of it too. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "family: code_host | family: castle | 3 | one of: | yes",
        "speaks: http | speaks: http\\nodd: 1 | 5 | Nothing is called “odd” | yes",
        "slots: 3 | slots: none | 8 | whole number | yes",
        "types: [ssh-ed25519] | types: [ed448] | 8 | type of key | yes",
        "get: /keys/{account} | get: /keys/{nobody} | 11 | Nothing gives a value for “nobody” | no",
        "get: /keys/{account} | get: 'http://127.0.0.2/' | 11 | begins with one / | yes",
        "get: /keys/{account} | get: //127.0.0.2/{account} | 11 | begins with one / | yes",
        "get: /keys/{account} | get: /../{account} | 11 | without .. | no",
        "get: /keys/{account} | get: '/keys/{+account}' | 11 | could reach outside | no",
        "get: /keys/{account} | get: '/keys/{account' | 11 | brace | no",
        "key: {at: /key} | key: {at: key} | 12 | JSON pointer | no",
        "key: {at: /key} | each: /x | 10 | “key” is missing | no",
        "json: {key: '{key}'} | json: {key: '{secret}'} | 16 | Nothing gives a value | no",
        "delete: /keys | delete: /keys/x\\n          get: /y | 19 | one of: get, post | no",
        "with: token | with: oauth2 | 5 | “tokens” | no",
        "with: token | with: !!java.net.URL token | 5 | single value | no",
        "sheet: 1 | sheet: 2 | 1 | 1 to 1 | yes",
        "system: Lighthouse | system: [a | 3 | not YAML | no",
      })
  void everyFlawIsFoundInItsLine(
      String from, String to, int line, String said, String schemaSeesIt) {
    String text = GOOD.replace("\"{key}\"", "'{key}'");
    String flawed = text.replace(from.strip(), to.strip().replace("\\n", "\n"));
    assertThat(flawed).isNotEqualTo(text);
    List<Flaw> flaws = SheetText.read(flawed).flaws();
    assertThat(flaws)
        .anySatisfy(
            flaw -> {
              assertThat(flaw.sentence()).contains(said);
              assertThat(flaw.line()).isBetween(line - 1, line + 1);
            });
    if (schemaSeesIt.equals("yes")) {
      assertThat(againstSchema(flawed)).isNotEmpty();
    }
  }

  @ParameterizedTest
  @CsvSource({"2, waits once", "4, at most 3"})
  void threeRequestsAndOneWaitAreEnough(int requests, String said) {
    String one = "{get: '/keys/{account}', until: {at: /x, is: y}}";
    String text =
        GOOD.replaceFirst(
            "requests:\n *- get: /keys/\\{account\\}",
            "requests: [" + String.join(", ", java.util.Collections.nCopies(requests, one)) + "]");
    assertThat(SheetText.read(text).flaws())
        .extracting(Flaw::sentence)
        .anySatisfy(sentence -> assertThat(sentence).contains(said));
  }

  /** What the documentation writes in ten minutes can be used as it stands there. */
  @Test
  void theDocumentationsSheetIsGood() throws IOException {
    StringBuilder sheet = new StringBuilder();
    boolean inside = false;
    int blocks = 0;
    for (String line : Files.readAllLines(ROOT.resolve("docs/system-sheets.md"))) {
      if (line.strip().startsWith("```")) {
        inside = line.strip().equals("```yaml") && blocks++ < 2;
      } else if (inside) {
        sheet.append(line.isBlank() ? "" : line.substring(3)).append('\n');
      }
    }
    assertThat(SheetText.read(sheet.toString()).flaws()).isEmpty();
    assertThat(againstSchema(sheet.toString())).isEmpty();
  }

  @Property(tries = 300)
  void anyTextGivesASheetOrFlaws(@ForAll String text) {
    SheetText.Parsed parsed = SheetText.read(text);
    assertThat(parsed.sheet().isPresent()).isNotEqualTo(!parsed.flaws().isEmpty());
  }

  /** Cut anywhere, a sheet gives flaws or a sheet, and nothing else. */
  @Test
  void aSheetThatIsCutGivesFlaws() {
    for (int end = 0; end < GOOD.length(); end += 7) {
      SheetText.Parsed parsed = SheetText.read(GOOD.substring(0, end));
      assertThat(parsed.sheet().isPresent()).isNotEqualTo(!parsed.flaws().isEmpty());
    }
  }

  /** Whatever a value is, the statement around it stays the same. */
  @Property(tries = 500)
  void aValueNeverBreaksOutOfAStatement(@ForAll String value) {
    SqlTemplate template =
        SqlTemplate.read("alter role {name:account} set x = {text:key} where a = :account");
    SqlTemplate.Ready ready;
    try {
      ready = template.fill(Map.of("account", value, "key", value));
    } catch (IllegalArgumentException refused) {
      return;
    }
    assertThat(outside(ready.text())).isEqualTo("alter role  set x =  where a = ?");
    assertThat(ready.bound()).containsExactly(value);
  }

  /** A statement without what stands in quotation marks, by the rules of SQL-92. */
  private static String outside(String statement) {
    StringBuilder outside = new StringBuilder();
    char quote = 0;
    for (int i = 0; i < statement.length(); i++) {
      char c = statement.charAt(i);
      if (quote == 0 && (c == '"' || c == '\'')) {
        quote = c;
      } else if (quote != 0 && c == quote) {
        boolean doubled = i + 1 < statement.length() && statement.charAt(i + 1) == quote;
        i += doubled ? 1 : 0;
        quote = doubled ? quote : 0;
      } else if (quote == 0) {
        outside.append(c);
      }
    }
    return outside.toString();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "select 1; drop table x",
        "select 1 -- x",
        "select /* */ 1",
        "select '",
        "select {x}",
        "select : x",
        "select ?",
        "do $$ x $$"
      })
  void aStatementIsOneStatement(String text) {
    assertThatThrownBy(() -> SqlTemplate.read(text)).isInstanceOf(IllegalArgumentException.class);
  }

  @Test
  void aTitleIsShortenedSoThatTheMarkFits() {
    Mark mark = new Mark("tolvin:abcdefghabcdefgh");
    Ability can =
        new Ability(
            1,
            List.of(),
            java.util.Set.of(),
            1024,
            16384,
            tolvin.core.form.Form.ONE_LINE,
            java.util.Optional.of(new Ability.Title(40, "", true)),
            java.time.Duration.ZERO,
            java.util.Optional.empty(),
            java.util.Set.of(),
            java.util.Set.of(),
            java.util.Set.of());
    assertThat(EntryLine.title(can, "a very long title of somebody's laptop", mark))
        .hasSizeLessThanOrEqualTo(40)
        .startsWith("a very long")
        .endsWith(mark.value());
  }

  /** A new pair is of a kind that every account takes. */
  @ParameterizedTest
  @CsvSource({
    "ssh-rsa ssh-ed25519, 2048, ssh-ed25519, 256",
    "ssh-rsa ecdsa-sha2-nistp256, 2048, ecdsa-sha2-nistp256, 256",
    "ssh-rsa, 2048, ssh-rsa, 3072",
    "ssh-rsa, 4096, ssh-rsa, 4096",
  })
  void aNewPairIsOneThatEveryAccountTakes(String types, int least, String type, int bits) {
    String can =
        "{slots: 1, rsa-least: "
            + least
            + ", form: one-line, types: ["
            + types.replace(" ", ", ")
            + "]}";
    Ability ability =
        SheetText.read(GOOD.replaceFirst("\\{slots.*\\}", can))
            .sheet()
            .orElseThrow()
            .accounts()
            .get("person")
            .ability();
    try (var pair = Ability.pairFor(List.of(ability), new java.security.SecureRandom())) {
      assertThat(pair.key().type().word()).isEqualTo(type);
      assertThat(pair.key().bits()).isEqualTo(bits);
    }
  }
}
