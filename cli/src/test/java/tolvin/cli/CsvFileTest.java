package tolvin.cli;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class CsvFileTest {
  @TempDir Path directory;

  private Path file(String text, Charset in) throws Exception {
    return Files.writeString(directory.resolve("estate.csv"), text, in);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "host,login,note\nquay,fuel,\"a,b\"\n\n",
        "\uFEFFHost, Login ,Note\r\nquay , fuel,\"a,b\"\r\n",
        "host;login;note\nquay;fuel;a,b\n",
        "note,host,login,more\n\"a,b\",quay,fuel,\n",
      })
  void aTableFromAnySpreadsheetIsRead(String text) throws Exception {
    assertThat(CsvFile.read(file(text, StandardCharsets.UTF_8), "host", "login"))
        .isEqualTo(List.of(Map.of("host", "quay", "login", "fuel", "note", "a,b")));
  }

  @Test
  void whatIsNoSuchTableIsRefusedWithItsReason() throws Exception {
    assertThatThrownBy(() -> CsvFile.read(file("host\nquay\n", StandardCharsets.UTF_8), "login"))
        .isInstanceOf(Refused.class)
        .hasMessageContaining("no column “login”");
    assertThatThrownBy(
            () -> CsvFile.read(file("host,login\nä,b\n", StandardCharsets.ISO_8859_1), "host"))
        .isInstanceOf(Refused.class)
        .hasMessageContaining("UTF-8");
    assertThatThrownBy(() -> CsvFile.read(directory.resolve("none"), "host"))
        .isInstanceOf(Refused.class);
    assertThatThrownBy(() -> CsvFile.number("22a"))
        .isInstanceOf(Refused.class)
        .hasMessageContaining("no port");
    assertThat(CsvFile.number(null)).isNull();
  }
}
